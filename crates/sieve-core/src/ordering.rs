//! LOOKING: which images to look at, in which order, and what many of them have in common.

use std::cmp::Ordering;
use std::collections::BTreeMap;

use crate::catalog::Catalog;
use crate::measuring::{CHROMA_PX, LUMA_PX, Thumbnail};
use crate::reading::Pixels;
use crate::record::Record;
use crate::seeded_order;

/// In which order images are looked at.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Order {
    /// By chance, from the seed and the bytes of the files.
    #[default]
    Random,
    /// By their paths.
    Name,
    /// By the time they were taken, else by that of their files.
    Time,
    /// The darkest first.
    Brightness,
    /// The softest first.
    Sharpness,
    /// The smallest first, by pixels.
    Size,
    /// The one that is most unlike its class first.
    Atypical,
}

impl Order {
    /// Every order.
    pub const ALL: [Order; 7] = [
        Order::Random,
        Order::Name,
        Order::Time,
        Order::Brightness,
        Order::Sharpness,
        Order::Size,
        Order::Atypical,
    ];

    /// As it is typed.
    pub fn name(self) -> &'static str {
        match self {
            Order::Random => "random",
            Order::Name => "name",
            Order::Time => "time",
            Order::Brightness => "brightness",
            Order::Sharpness => "sharpness",
            Order::Size => "size",
            Order::Atypical => "atypical",
        }
    }
}

/// The class and split of a group of images; no split where splits are not told apart.
pub type Shelf<'a> = (&'a str, Option<&'a str>);

/// The images of each class, and of each split if `by_split`, as numbers of their records, in `order`.
pub fn shelves<'c>(
    catalog: &'c Catalog,
    order: Order,
    seed: u64,
    by_split: bool,
    unlike: &[f64],
) -> BTreeMap<Shelf<'c>, Vec<usize>> {
    let mut shelves: BTreeMap<Shelf<'_>, Vec<usize>> = BTreeMap::new();
    for (at, record) in catalog.records.iter().enumerate() {
        if let (Some(_), Some(class)) = (record.image(), record.class()) {
            let split = record.split().filter(|_| by_split);
            shelves.entry((class, split)).or_default().push(at);
        }
    }
    for images in shelves.values_mut() {
        sort(catalog, images, order, seed, unlike);
    }
    shelves
}

/// Puts images of one class in order. Ties go by their paths. `unlike` says for each record how unlike its class it is
/// ([`crate::appearance::unlike_class`]); only the order by that needs it.
pub fn sort(catalog: &Catalog, images: &mut [usize], order: Order, seed: u64, unlike: &[f64]) {
    let record = |at: usize| &catalog.records[at];
    let look = |at: usize| record(at).image().map(|measured| measured.measures).unwrap_or_default();
    let by_number = |images: &mut [usize], number: &dyn Fn(usize) -> f64| {
        let mut keyed: Vec<(f64, usize)> = images.iter().map(|&at| (number(at), at)).collect();
        keyed.sort_by(|a, b| {
            a.0.total_cmp(&b.0).then_with(|| record(a.1).path.cmp(&record(b.1).path))
        });
        images.iter_mut().zip(keyed).for_each(|(place, (_, at))| *place = at);
    };
    match order {
        Order::Random => images.sort_by_cached_key(|&at| {
            let digest = record(at).image().map(|measured| measured.digest.0).unwrap_or_default();
            (seeded_order::key(seed, &digest), record(at).path.clone())
        }),
        Order::Name => images.sort_by(|&a, &b| record(a).path.cmp(&record(b).path)),
        Order::Time => by_number(images, &|at| {
            let captured =
                record(at).image().and_then(|measured| measured.facts.captured_seconds());
            captured
                .map_or(record(at).at.stamp().modified_ns as f64 / 1e9, |seconds| seconds as f64)
        }),
        Order::Brightness => by_number(images, &|at| f64::from(look(at).brightness)),
        Order::Sharpness => by_number(images, &|at| f64::from(look(at).sharpness)),
        Order::Size => by_number(images, &|at| {
            let facts = record(at).image().map(|measured| &measured.facts);
            facts.map_or(0.0, |facts| f64::from(facts.width_px) * f64::from(facts.height_px))
        }),
        Order::Atypical => by_number(images, &|at| -unlike.get(at).copied().unwrap_or(0.0)),
    }
}

/// A thumbnail as an image of these sides: its luma sharp, its colours between their values.
///
/// # Panics
///
/// When a side is 0.
pub fn picture(thumbnail: &Thumbnail, width_px: u32, height_px: u32) -> Pixels {
    let luma = Plane { values: thumbnail.luma(), side: LUMA_PX };
    let [blue, red] = thumbnail.chroma().map(|values| Plane { values, side: CHROMA_PX });
    let mut data = Vec::with_capacity((width_px * height_px * 3) as usize);
    for row in 0..height_px {
        for column in 0..width_px {
            let (x, y) =
                ((column as f32 + 0.5) / width_px as f32, (row as f32 + 0.5) / height_px as f32);
            let (y, b, r) = (luma.at(x, y), blue.at(x, y) - 128.0, red.at(x, y) - 128.0);
            // JFIF 1.02.
            let rgb = [y + 1.402 * r, y - 0.344_136 * b - 0.714_136 * r, y + 1.772 * b];
            data.extend(rgb.map(|value| (value + 0.5).clamp(0.0, 255.0) as u8));
        }
    }
    Pixels { width_px, height_px, data }
}

/// One plane of a thumbnail.
struct Plane<'a> {
    values: &'a [u8],
    side: usize,
}

impl Plane<'_> {
    /// The value at shares of width and height, between those around it.
    fn at(&self, x: f32, y: f32) -> f32 {
        let place = |share: f32| {
            let at = (share * self.side as f32 - 0.5).clamp(0.0, (self.side - 1) as f32);
            let before = (at as usize).min(self.side - 2);
            (before, at - before as f32)
        };
        let ((left, fx), (top, fy)) = (place(x), place(y));
        let value = |column: usize, row: usize| f32::from(self.values[row * self.side + column]);
        let row = |row: usize| value(left, row) + (value(left + 1, row) - value(left, row)) * fx;
        row(top) + (row(top + 1) - row(top)) * fy
    }
}

/// The mean of thumbnails: what lights up is what the images have in common.
pub fn mean<'t>(thumbnails: impl IntoIterator<Item = &'t Thumbnail>) -> Option<Thumbnail> {
    let (mut sums, mut count) = (vec![0u64; Thumbnail::BYTES], 0u64);
    for thumbnail in thumbnails {
        count += 1;
        sums.iter_mut().zip(&thumbnail.0).for_each(|(sum, value)| *sum += u64::from(*value));
    }
    (count > 0)
        .then(|| Thumbnail(sums.into_iter().map(|sum| ((sum + count / 2) / count) as u8).collect()))
}

/// Of sides of images the pair in the middle, by their ratio.
pub fn usual_sides<'a>(records: impl Iterator<Item = &'a Record>) -> (u32, u32) {
    let mut sides: Vec<(u32, u32)> = records
        .filter_map(|record| {
            record.image().map(|image| (image.facts.width_px, image.facts.height_px))
        })
        .collect();
    let ratio = |sides: &(u32, u32)| f64::from(sides.0) / f64::from(sides.1.max(1));
    sides.sort_by(|a, b| ratio(a).partial_cmp(&ratio(b)).unwrap_or(Ordering::Equal).then(a.cmp(b)));
    sides.get(sides.len() / 2).copied().unwrap_or((4, 3))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::tests::{catalog, change, classes};

    #[test]
    fn the_odd_one_comes_first_and_chance_follows_seeds_not_names() {
        let mut records = classes(&[("sage", 12), ("bay", 3)]);
        for number in 0..12 {
            let measured = change(&mut records, &format!("sage/{number:04}.jpg"));
            measured.measures.brightness = 0.5 + 0.01 * (number % 4) as f32;
        }
        change(&mut records, "sage/0007.jpg").measures.brightness = 0.05;
        let catalog = catalog(records, &[]);
        let mut unlike = vec![1.0; catalog.records.len()];
        let odd_at = catalog.records.iter().position(|one| one.path.as_str() == "sage/0007.jpg");
        unlike[odd_at.unwrap()] = 2.0;
        let of = |order, seed| {
            let shelves = shelves(&catalog, order, seed, false, &unlike);
            let paths =
                shelves[&("sage", None)].iter().map(|&at| catalog.records[at].path.to_string());
            paths.collect::<Vec<_>>()
        };
        let odd = "sage/0007.jpg";
        assert_eq!(of(Order::Atypical, 0)[0], odd);
        assert_eq!(of(Order::Brightness, 0)[0], odd);
        assert_ne!(of(Order::Random, 0), of(Order::Random, 1));
        let mut sorted = of(Order::Random, 0);
        sorted.sort();
        assert_eq!(sorted, of(Order::Name, 0));
    }

    #[test]
    fn a_thumbnail_shows_its_colours_and_means_lie_between() {
        let of = |y: u8, b: u8, r: u8| {
            let mut bytes = vec![y; LUMA_PX * LUMA_PX];
            bytes.extend(vec![b; CHROMA_PX * CHROMA_PX]);
            bytes.extend(vec![r; CHROMA_PX * CHROMA_PX]);
            Thumbnail(bytes)
        };
        // Pure red in JFIF.
        let red = picture(&of(76, 85, 255), 5, 3);
        assert_eq!((red.width_px, red.height_px), (5, 3));
        assert!(
            red.data.chunks(3).all(|p| p[0] > 250 && p[1] < 5 && p[2] < 5),
            "{:?}",
            red.at(0, 0)
        );
        assert_eq!(mean(&[of(10, 128, 128), of(21, 128, 128)]), Some(of(16, 128, 128)));
        assert_eq!(mean(&[]), None);
        let stripes =
            Thumbnail((0..Thumbnail::BYTES).map(|at| if at % 2 == 0 { 0 } else { 200 }).collect());
        let grown = picture(&stripes, 96, 96);
        assert!(grown.at(40, 40) != grown.at(42, 40), "detail stays");
    }
}
