//! Which image of several copies stays.

use std::cmp::Reverse;
use std::collections::HashMap;

use super::clustering::Links;
use super::filename_rank::Naming;
use super::image_set::ImageRef;
use super::kind::Kind;
use super::prefer::Prefer;
use super::report::Member;
use crate::reading::Format;
use crate::rect::Region;
use crate::statistics::upper_median;

/// Files that were written within a minute came there together, unpacked or copied: which was first says nothing.
const TOGETHER_NS: i64 = 60_000_000_000;

/// `members` from the one that stays to the last, and the first preference that decides between the first two; none
/// where only their paths do. `image` gives the image of a number.
pub fn ranked<'m, 'i>(
    members: &[&'m Member],
    image: &dyn Fn(u32) -> &'i ImageRef<'i>,
    naming: &Naming,
    prefer: &[Prefer],
) -> (Vec<&'m Member>, Option<Prefer>) {
    let modified = |member: &Member| image(member.image).record.at.stamp().modified_ns;
    let oldest = members.iter().map(|member| modified(member)).min().unwrap_or(0);
    // Each preference as a number, of which the greatest wins.
    let value = |member: &Member, prefer: Prefer| -> i128 {
        let ImageRef { record, measured, .. } = image(member.image);
        match prefer {
            // What others can be made of was there before them; what they have in common is a guess beside that.
            Prefer::Original => i128::from(member.makes) * 256 - i128::from(member.departures),
            // To a hundredth: rounding of sizes says nothing.
            Prefer::Pixels => ((member.content_px.max(1) as f64).ln() * 100.0) as i128,
            Prefer::Bytes => i128::from(member.least_bytes),
            Prefer::Camera => i128::from(measured.facts.camera.is_some()),
            Prefer::Oldest => -i128::from((modified(member) - oldest) / TOGETHER_NS),
            Prefer::Name => {
                let (is_usual, Reverse(letters)) = naming.plainness(&record.path);
                i128::from(is_usual) * 100_000 - letters as i128
            }
        }
    };
    let values =
        |member: &Member| -> Vec<i128> { prefer.iter().map(|&one| value(member, one)).collect() };
    let mut ranked = members.to_vec();
    ranked.sort_by_cached_key(|member| {
        (Reverse(values(member)), image(member.image).record.path.clone())
    });
    let decided = match ranked[..] {
        [first, second, ..] => {
            let (first, second) = (values(first), values(second));
            first.iter().zip(&second).position(|(a, b)| a != b)
        }
        _ => None,
    };
    (ranked, decided.map(|at| prefer[at]))
}

/// The logarithm of the ratio of sides beyond which an image is stretched or cut: whole numbers of pixels change that of a
/// side of 100 by half of it.
const STRETCHED: f32 = 0.02;
/// An image was changed where its thumbnail is further from what the copies have in common than this many times the nearest
/// quarter of them, and by more than what rounding two thumbnails to whole levels explains (0.41 levels, root mean square).
const ALTERED: f64 = 1.5;
const ROUNDING: f64 = 0.5;
/// Copies that lie straight on each other which are needed to tell who is in the middle: of three, two that were saved alike
/// are nearer to each other than to what they were made from.
const TELLING: usize = 5;
/// Copies of a group that are asked for what they have in common.
const ASKED: usize = 33;
/// The share of an image that is not border, below which it has one.
const BORDERED: f32 = 0.98;

/// In how many ways each of `members`, which are copies of one image, departs from what they have in common: the image
/// that all were made from is in the middle of them, since each of them was changed in its own way. `content` gives the part
/// of an image within its border, `thumbnail` its thumbnail, `usual_aspect` the commonest logarithm of the ratio of sides
/// in the class of an image, for copies that are too few to have anything in common.
pub fn departures<'i>(
    members: &[u32],
    links: &Links,
    image: &dyn Fn(u32) -> &'i ImageRef<'i>,
    content: &dyn Fn(u32) -> Option<Region>,
    thumbnail: &dyn Fn(u32) -> Option<&'i [u8]>,
    usual_aspect: &dyn Fn(u32) -> Option<f32>,
) -> Vec<u8> {
    let kind = |a: u32, b: u32| links.get(&(a.min(b), a.max(b))).map(|link| link.kind);
    let others = |one: u32| members.iter().copied().filter(move |&other| other != one);
    // Copies that lie on most others as they stand: not those that were turned, cropped, bordered or marked.
    let straight = |one: u32| {
        others(one).filter(|&other| kind(one, other).is_some_and(|kind| kind <= Kind::Near)).count()
    };
    let straight: Vec<usize> = members.iter().map(|&one| straight(one)).collect();
    let most = straight.iter().copied().max().unwrap_or(0);
    let is_middle: Vec<bool> = straight.iter().map(|&count| 2 * count >= most).collect();
    let say_something = members.len() > 2 && most > 1;
    let aspect = |one: u32| {
        let facts = &image(one).measured.facts;
        (facts.width_px.max(1) as f32 / facts.height_px.max(1) as f32).ln()
    };
    let share = |one: u32| content(one).map_or(1.0, |region| region.width() * region.height());
    // WebP may be either.
    let is_lossy = |one: u32| image(one).measured.facts.format == Format::Jpeg;
    let middle = || members.iter().zip(&is_middle).filter(|(_, is)| **is).map(|(&one, _)| one);
    let mut aspects: Vec<f32> = middle().map(aspect).collect();
    let middle_aspect = upper_median(&mut aspects).unwrap_or(0.0);
    let asked: Vec<&[u8]> = middle().filter_map(thumbnail).take(ASKED).collect();
    let common = common(&asked);
    let mut distances: Vec<f64> = asked.iter().map(|own| distance(own, &common)).collect();
    distances.sort_by(f64::total_cmp);
    let near = distances.get(distances.len() / 4).copied().unwrap_or(0.0);
    let most_distant =
        if asked.len() < TELLING { f64::INFINITY } else { (ALTERED * near).max(ROUNDING) };
    let of_one = |(at, &one): (usize, &u32)| -> u8 {
        let expected = if say_something { Some(middle_aspect) } else { usual_aspect(one) };
        let is_altered = thumbnail(one).is_some_and(|own| distance(own, &common) > most_distant);
        let ways = [
            say_something && !is_middle[at],
            expected.is_some_and(|expected| (aspect(one) - expected).abs() > STRETCHED),
            share(one) < BORDERED,
            say_something && is_altered,
            // Another file with the pixels of a JPEG was made from it: hardly the other way round.
            !is_lossy(one)
                && others(one)
                    .any(|other| is_lossy(other) && kind(one, other) == Some(Kind::SamePixels)),
        ];
        ways.into_iter().map(u8::from).sum()
    };
    members.iter().enumerate().map(of_one).collect()
}

/// The thumbnail of which each value is the median of those of `thumbnails`.
fn common(thumbnails: &[&[u8]]) -> Vec<u8> {
    let values = thumbnails.first().map_or(0, |first| first.len());
    let of_value = |at: usize| {
        let mut levels: Vec<u8> =
            thumbnails.iter().filter_map(|one| one.get(at).copied()).collect();
        levels.sort_unstable();
        levels[levels.len() / 2]
    };
    (0..values).map(of_value).collect()
}

/// The root mean square of the differences between two thumbnails, in levels.
fn distance(a: &[u8], b: &[u8]) -> f64 {
    let squares = a.iter().zip(b).map(|(&a, &b)| f64::from(a.abs_diff(b)).powi(2));
    (squares.sum::<f64>() / a.len().max(1) as f64).sqrt()
}

/// The commonest logarithm of the ratio of sides of each class, where most of its images have it.
pub fn usual_aspects<'i>(images: &[ImageRef<'i>]) -> HashMap<&'i str, f32> {
    let mut counts: HashMap<&str, HashMap<i32, usize>> = HashMap::new();
    for image in images {
        let facts = &image.measured.facts;
        let aspect = (facts.width_px.max(1) as f32 / facts.height_px.max(1) as f32).ln();
        let Some(class) = image.record.class() else { continue };
        let step = (aspect / STRETCHED).round() as i32;
        *counts.entry(class).or_default().entry(step).or_default() += 1;
    }
    let usual = counts.into_iter().filter_map(|(class, counts)| {
        let all: usize = counts.values().sum();
        let (step, count) = counts.into_iter().max_by_key(|&(step, count)| (count, step))?;
        (2 * count > all).then_some((class, step as f32 * STRETCHED))
    });
    usual.collect()
}
