//! The number of each class: one order for all splits, which an earlier one may set.

use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

use serde::Serialize;

use crate::bounded_read::{MOST_TABLE_BYTES, read_text};
use crate::collection::{CLASS_INDEX_COLUMNS, composed};
use crate::csv_escape::{guarded, unguarded};

/// The classes in the order of their numbers, from 0.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct ClassIndex {
    /// The splits that images are counted in.
    pub splits: Vec<String>,
    /// The classes; the place of each is its number.
    pub classes: Vec<IndexedClass>,
}

/// A class of the index.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct IndexedClass {
    /// Its name.
    pub class: String,
    /// Its images in each split.
    pub images: Vec<u64>,
    /// Whether an earlier index has it.
    pub is_earlier: bool,
}

impl IndexedClass {
    /// Whether an earlier index has it and no image is left: its number stays taken.
    pub fn has_vanished(&self) -> bool {
        self.images.iter().all(|images| *images == 0)
    }
}

/// Classes of an index, at most.
const MOST_CLASSES: usize = 1_000_000;

impl ClassIndex {
    /// The index of classes and the splits that they have images in: those of `earlier` first and in its order, the others after
    /// them in the order of the bytes of their names, as a sorted listing of folders gives it.
    pub fn new<'a>(
        splits: &[String],
        images: impl IntoIterator<Item = (&'a str, usize)>,
        earlier: &[String],
    ) -> Self {
        let mut counts: BTreeMap<&str, Vec<u64>> = BTreeMap::new();
        for (class, split) in images {
            counts.entry(class).or_insert_with(|| vec![0; splits.len()])[split] += 1;
        }
        let mut classes: Vec<IndexedClass> = Vec::new();
        for class in earlier {
            let images = counts.remove(class.as_str()).unwrap_or_else(|| vec![0; splits.len()]);
            classes.push(IndexedClass { class: class.clone(), images, is_earlier: true });
        }
        classes.extend(counts.into_iter().map(|(class, images)| IndexedClass {
            class: class.to_owned(),
            images,
            is_earlier: false,
        }));
        ClassIndex { splits: splits.to_vec(), classes }
    }

    /// The numbers of the classes.
    pub fn numbers(&self) -> BTreeMap<&str, usize> {
        self.classes.iter().enumerate().map(|(at, class)| (class.class.as_str(), at)).collect()
    }

    /// The classes of an index that was written before, in their order.
    ///
    /// # Errors
    ///
    /// Why the file is no index: as the end of a sentence.
    pub fn read_order(file: &Path) -> Result<Vec<String>, String> {
        let text = read_text(file, MOST_TABLE_BYTES)?;
        let mut table = csv::ReaderBuilder::new().flexible(true).from_reader(text.as_bytes());
        let head = table.headers().map_err(|error| error.to_string())?.clone();
        let column = |name: &str| {
            let at = head.iter().position(|column| column.trim_start_matches('\u{feff}') == name);
            at.ok_or_else(|| format!("it has no column {name:?}"))
        };
        let [index_name, class_name] = CLASS_INDEX_COLUMNS;
        let (index, class) = (column(index_name)?, column(class_name)?);
        let (mut order, mut known) = (Vec::new(), BTreeSet::new());
        for (at, row) in table.records().enumerate() {
            let line = at + 2;
            let row = row.map_err(|error| format!("line {line}: {error}"))?;
            let (number, name) =
                (row.get(index).unwrap_or_default(), row.get(class).unwrap_or_default());
            if number.trim() != at.to_string() {
                return Err(format!("line {line}: its index is {number:?}; expected {at}"));
            }
            let name = composed(unguarded(name)).into_owned();
            if name.is_empty() || !known.insert(name.clone()) {
                return Err(format!("line {line}: the class {name:?} is empty or named twice"));
            }
            if order.len() == MOST_CLASSES {
                return Err(format!("it has more than {MOST_CLASSES} classes"));
            }
            order.push(name);
        }
        if order.is_empty() {
            return Err("it has no class".to_owned());
        }
        Ok(order)
    }

    /// As CSV: index, class, and the images in each split, as `split` writes it.
    pub fn csv(&self) -> Vec<u8> {
        let mut table = csv::Writer::from_writer(Vec::new());
        let mut put = |cells: Vec<String>| {
            let cells = cells.iter().map(|cell| guarded(cell).into_owned());
            table.write_record(cells).expect("memory takes what is written");
        };
        let head = CLASS_INDEX_COLUMNS.into_iter().map(str::to_owned);
        put(head.chain(self.splits.iter().cloned()).collect());
        for (index, class) in self.classes.iter().enumerate() {
            let counts = class.images.iter().map(u64::to_string);
            put([index.to_string(), class.class.clone()].into_iter().chain(counts).collect());
        }
        table.into_inner().expect("memory takes what is written")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_earlier_order_stays_and_new_classes_follow() {
        let splits = ["train", "test"].map(str::to_owned);
        let images = [("sage", 0), ("bay", 0), ("bay", 1), ("=dill", 0), ("Zatar", 1)];
        let plain = ClassIndex::new(&splits, images, &[]);
        let text = String::from_utf8(plain.csv()).unwrap();
        let expected = "index,class,train,test\n0,'=dill,1,0\n1,Zatar,0,1\n2,bay,1,1\n3,sage,1,0\n";
        assert_eq!(text, expected);
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("class-index.csv");
        std::fs::write(&file, "index,class\n0,sage\n1,thyme\n2,'=dill\n").unwrap();
        let earlier = ClassIndex::read_order(&file).unwrap();
        let later = ClassIndex::new(&splits, images, &earlier);
        let order: Vec<&str> = later.classes.iter().map(|class| class.class.as_str()).collect();
        assert_eq!(order, ["sage", "thyme", "=dill", "Zatar", "bay"]);
        assert!(later.classes[1].has_vanished() && !later.classes[0].has_vanished());
        assert_eq!(later.numbers()["bay"], 4);
        for (wrong, why) in [
            ("index,class\n1,sage\n", "line 2: its index is \"1\"; expected 0"),
            ("index,class\n0,sage\n1,sage\n", "line 3: the class \"sage\" is empty or named twice"),
            ("class,images\nsage,1\n", "it has no column \"index\""),
            ("index,class\n", "it has no class"),
        ] {
            std::fs::write(&file, wrong).unwrap();
            assert_eq!(ClassIndex::read_order(&file).unwrap_err(), why);
        }
    }
}
