//! Tables and numbers of a pack, as files.

use std::collections::BTreeMap;

use serde::Serialize;
use sieve_core::pack::{ClassIndex, Numbers};

use crate::packing::PackedPart;
use crate::present::in_json;
use crate::present::table::written;

/// A class with its number.
#[derive(Serialize)]
pub struct ClassBody<'a> {
    index: usize,
    class: &'a str,
    images: BTreeMap<&'a str, u64>,
}

/// The classes in their order.
pub fn classes(index: &ClassIndex) -> Vec<ClassBody<'_>> {
    let mut classes = Vec::with_capacity(index.classes.len());
    for (number, class) in index.classes.iter().enumerate() {
        let splits = index.splits.iter().map(String::as_str);
        let images = splits.zip(class.images.iter().copied()).collect();
        classes.push(ClassBody { index: number, class: &class.class, images });
    }
    classes
}

#[derive(Serialize)]
struct ClassIndexFile<'a> {
    schema: &'static str,
    classes: Vec<ClassBody<'a>>,
}

/// The class index as JSON.
pub fn class_index_json(index: &ClassIndex) -> Vec<u8> {
    json_bytes(&ClassIndexFile { schema: "mint-sieve/class-index/1", classes: classes(index) })
}

#[derive(Serialize)]
struct NumbersFile<'a> {
    schema: &'static str,
    #[serde(flatten)]
    numbers: &'a Numbers,
}

/// The numbers as JSON.
pub fn numbers_json(numbers: &Numbers) -> Vec<u8> {
    json_bytes(&NumbersFile { schema: "mint-sieve/numbers/1", numbers })
}

/// A JSON file.
pub fn json_bytes(value: &impl Serialize) -> Vec<u8> {
    in_json(value).into_bytes()
}

/// Where each image stands in the shards.
pub fn shard_table(part: &PackedPart) -> Vec<u8> {
    let head = ["shard", "offset", "size_bytes", "path", "class", "class_index"];
    let rows = part.entries.iter().map(|entry| {
        let image = &part.images[entry.image];
        [
            entry.shard.clone(),
            entry.offset.to_string(),
            image.size_bytes.to_string(),
            image.path.clone(),
            image.class.clone(),
            image.class_index.to_string(),
        ]
    });
    written(&head, rows).into_bytes()
}
