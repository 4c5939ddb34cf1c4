//! Where the images of a split stand in a tree of folders: `split/class/image`.

use std::ffi::{OsStr, OsString};

use crate::collection::{check_folder_name, composed};
use crate::files::{InsidePath, RelPath, UsedPaths, shown_name};

/// An image that gets a place in the tree.
#[derive(Clone, Copy, Debug)]
pub struct Placing<'a> {
    /// Where it is in the collection.
    pub path: &'a RelPath,
    /// Its class.
    pub class: &'a str,
    /// The part that it goes to; empty where all parts share one tree.
    pub part: &'a str,
    /// How many of the outermost folders of its path say which split it was in before: the tree does not repeat them.
    pub split_folders: usize,
}

/// The place of each image, or why it cannot have one: in the folder of its part and class, and in the folders below
/// that which it lay in. Folders that hold all images are left away. Of several images with one place the first in the
/// order of paths gets it, the others are numbered.
pub fn places(images: &[Placing<'_>]) -> Vec<Result<InsidePath, String>> {
    let wrapping = wrapping_folders(images);
    let mut order: Vec<usize> = (0..images.len()).collect();
    order.sort_by_key(|&at| images[at].path);
    let mut used = UsedPaths::default();
    let mut places: Vec<Result<InsidePath, String>> = vec![Err(String::new()); images.len()];
    for at in order {
        places[at] = place(&images[at], wrapping).map(|place| used.take_numbered(place));
    }
    places
}

fn place(image: &Placing<'_>, wrapping: usize) -> Result<InsidePath, String> {
    let native = image.path.native();
    let file = native.file_name().unwrap_or_default();
    let folders = native.parent().into_iter().flat_map(|folder| folder.iter());
    let mut names: Vec<&OsStr> = folders.skip(wrapping.max(image.split_folders)).collect();
    let is_class = |name: &&OsStr| composed(&shown_name(name)) == image.class;
    let own = names.iter().position(is_class).map(|at| names.remove(at));
    let class: OsString = match own.filter(|name| name.to_str().is_none()) {
        // A name that is not UTF-8 goes over as it is.
        Some(name) => name.to_owned(),
        None => {
            check_folder_name(image.class).map_err(|why| {
                format!("its class {:?} cannot be the name of a folder: {why}", image.class)
            })?;
            image.class.into()
        }
    };
    let part = Some(OsStr::new(image.part)).filter(|part| !part.is_empty());
    let folders = part.into_iter().chain([class.as_os_str()]).chain(names);
    InsidePath::of_names(folders.chain([file])).map_err(|why| format!("it cannot be stored: {why}"))
}

/// How many folders, from the outermost, hold all the images and are no class of one.
fn wrapping_folders(images: &[Placing<'_>]) -> usize {
    let folders = |image: &Placing<'_>| -> Vec<String> {
        let mut parts: Vec<String> = image.path.parts().map(str::to_owned).collect();
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
