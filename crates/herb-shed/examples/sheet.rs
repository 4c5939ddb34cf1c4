//! scratch
use herb_shed::{collection::*, faults};
fn main() {
    for a in [Arrangement::Classes, Arrangement::Splits] {
        let t = std::time::Instant::now();
        let p = plan(a, 0);
        let root = std::path::Path::new("/tmp/t/demo").join(format!("{a:?}"));
        let _ = std::fs::remove_dir_all(&root);
        write(&root, &p, &|| true).unwrap();
        faults::write_table(std::path::Path::new("/tmp/t/planted.csv"), &p.planted).unwrap();
        eprintln!("{} files {:?}", p.files.len(), t.elapsed());
    }
}
