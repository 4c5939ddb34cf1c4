//! Where the images of a split stand: `split/class/image`.

use std::collections::HashSet;
use std::ffi::OsStr;
use std::path::{Component, Path, PathBuf};

use sieve_core::collection::composed;
use sieve_core::files::shown_name;
use sieve_core::splitting::Assigned;

use crate::failure::Failure;

/// Where each picture stands in the tree: in the folder of its part and class, and in the folders
/// below that which it lay in. Folders that hold all pictures are left away.
pub fn places(images: &[Assigned<'_>], parts: &[String]) -> Result<Vec<PathBuf>, Failure> {
    let wrapping = wrapping_folders(images);
    let mut taken = HashSet::new();
    let place = |image: &Assigned<'_>| {
        let native = image.record.path.native();
        // What an earlier split said by folders is said anew.
        let earlier = image.record.split().map_or(0, |_| usize::from(image.record.place.base));
        let mut names: Vec<&OsStr> = native.iter().skip(wrapping.max(earlier)).collect();
        let file = names.pop().unwrap_or_default();
        let is_class = |name: &&OsStr| composed(&shown_name(name)) == image.class;
        let class = match names.iter().position(is_class) {
            // A name that is not UTF-8 goes over as it is.
            Some(at) => Some(names.remove(at)).filter(|name| name.to_str().is_none()),
            None => None,
        };
        let class = class.unwrap_or(OsStr::new(image.class));
        if !matches!(Path::new(class).components().collect::<Vec<_>>()[..], [Component::Normal(_)])
        {
            let message = format!("the class {:?} cannot be the name of a folder", image.class);
            return Err(Failure::call(message).hint("Use --out to write only a split table."));
        }
        let part = parts.get(image.part).map_or("", String::as_str);
        let folder = Path::new(part).join(class).join(names.iter().collect::<PathBuf>());
        let mut place = folder.join(file);
        let mut copies = 1;
        while !taken.insert(place.clone()) {
            copies += 1;
            let (stem, extension) = (Path::new(file).file_stem(), Path::new(file).extension());
            let mut name = stem.unwrap_or_default().to_owned();
            name.push(format!("-{copies}"));
            if let Some(extension) = extension {
                name.push(".");
                name.push(extension);
            }
            place = folder.join(name);
        }
        Ok(place)
    };
    images.iter().map(place).collect()
}

/// How many folders, from the outermost, hold all the pictures and are no class of one.
fn wrapping_folders(images: &[Assigned<'_>]) -> usize {
    let folders = |image: &Assigned<'_>| -> Vec<String> {
        let path = &image.record.path;
        let mut parts: Vec<String> = path.parts().map(str::to_owned).collect();
        parts.pop();
        let class = parts.iter().position(|part| composed(part) == image.class);
        parts.truncate(class.unwrap_or(parts.len()));
        parts
    };
    let Some((first, rest)) = images.split_first() else { return 0 };
    let mut common = folders(first);
    for image in rest {
        if common.is_empty() {
            break;
        }
        let these = folders(image);
        let same = common.iter().zip(&these).take_while(|(a, b)| a == b).count();
        common.truncate(same);
    }
    common.len()
}
