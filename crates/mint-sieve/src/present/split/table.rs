//! The split table: CSV with the columns path, class, split, group, digest.

use sieve_core::catalog::SPLIT_TABLE_HEADER;
use sieve_core::splitting::Assignment;

/// One row for each picture that takes part, in the order of their paths.
pub fn table(assignment: &Assignment<'_>, parts: &[String]) -> Vec<u8> {
    let mut table = csv::Writer::from_writer(Vec::new());
    let rows = assignment.images.iter().map(|image| {
        [
            image.record.path.as_str().to_owned(),
            image.class.to_owned(),
            parts[image.part].clone(),
            image.group.to_string(),
            image.digest.to_string(),
        ]
    });
    let head = SPLIT_TABLE_HEADER.split(',').map(str::to_owned).collect::<Vec<_>>();
    table.write_record(&head).expect("memory takes what is written");
    rows.for_each(|row| table.write_record(&row).expect("memory takes what is written"));
    table.into_inner().expect("memory takes what is written")
}
