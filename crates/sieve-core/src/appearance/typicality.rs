//! How unlike the rest of its class an image is, without a search: for sheets that show the atypical images first.

use std::collections::BTreeMap;

use super::numbers::numbers;
use crate::measuring::Thumbnail;
use crate::numeric::Table;
use crate::statistics::median;
use crate::vectors::ImageVectors;

/// For each image how far it is from the middle of its class, over what is usual there; by thumbnails, compared in the 32
/// principal components of [`numbers()`]. Images without a thumbnail or class are 0.
pub fn unlike_class(thumbnails: &[Option<Thumbnail>], classes: &[Option<&str>]) -> Vec<f64> {
    let shown: Vec<usize> = (0..classes.len())
        .filter(|&at| thumbnails[at].is_some() && classes[at].is_some())
        .collect();
    let rows = shown.iter().filter_map(|&at| thumbnails[at].as_ref()).map(numbers);
    let table = Table::of_rows(rows).standardised().on_components(super::COMPONENTS);
    unlike(&table, &shown, classes)
}

/// The same by vectors.
pub fn unlike_class_by_vectors(vectors: &ImageVectors, classes: &[Option<&str>]) -> Vec<f64> {
    let shown: Vec<usize> = (0..classes.len())
        .filter(|&at| vectors.row_of[at].is_some() && classes[at].is_some())
        .collect();
    let rows: Vec<u32> = shown.iter().filter_map(|&at| vectors.row_of[at]).collect();
    unlike(&vectors.table.only(&rows), &shown, classes)
}

/// `shown` are the images of the rows of `table`.
fn unlike(table: &Table, shown: &[usize], classes: &[Option<&str>]) -> Vec<f64> {
    let mut of_class: BTreeMap<&str, Vec<usize>> = BTreeMap::new();
    for (row, &image) in shown.iter().enumerate() {
        of_class.entry(classes[image].unwrap_or_default()).or_default().push(row);
    }
    let mut all = vec![0.0; classes.len()];
    for rows in of_class.values() {
        let centre = table.mean_of(rows);
        let far = |row: usize| f64::from(Table::squared(table.row(row), &centre).sqrt());
        let usual = median(rows.iter().map(|&row| far(row))).unwrap_or(0.0).max(1e-9);
        rows.iter().for_each(|&row| all[shown[row]] = far(row) / usual);
    }
    all
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::measuring::{CHROMA_PX, LUMA_PX};

    #[test]
    fn images_are_the_more_unlike_the_farther_they_are_from_their_class() {
        // One pattern; three of the images are more and more blue.
        let image = |blue: u8| {
            let luma = (0..LUMA_PX * LUMA_PX)
                .map(|at| (127.5 + 100.0 * ((at % LUMA_PX) as f32 * 0.4).sin()) as u8);
            let mut bytes: Vec<u8> = luma.collect();
            bytes.resize(bytes.len() + CHROMA_PX * CHROMA_PX, blue);
            bytes.resize(Thumbnail::BYTES, 128);
            Some(Thumbnail(bytes))
        };
        let mut thumbnails: Vec<Option<Thumbnail>> = (0..20).map(|_| image(128)).collect();
        thumbnails.extend([150, 180, 220].map(image));
        thumbnails.push(None);
        let classes = vec![Some("sage"); 24];
        let far = unlike_class(&thumbnails, &classes);
        let mut order: Vec<usize> = (0..24).collect();
        order.sort_by(|&a, &b| far[b].total_cmp(&far[a]));
        assert_eq!(order[..3], [22, 21, 20], "{far:?}");
        assert!(far[20] > 1.2 && far[23] == 0.0, "{far:?}");
        assert_eq!(unlike_class(&thumbnails, &[None; 24]), [0.0; 24]);
    }
}
