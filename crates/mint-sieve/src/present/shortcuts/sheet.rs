//! The sheet of `shortcuts`: what a model could know each class by - its images without their content, its mean image, and the
//! mean of all others.

use std::collections::BTreeSet;

use sieve_core::ordering::{mean, picture};
use sieve_core::reading::Pixels;
use sieve_core::shortcuts::ClassShortcut;

use super::ShortcutReport;
use crate::present::cells::{percent, visible};
use crate::present::sheet::{COLUMNS, Labelled, TileRow};

/// Classes that are shown without `--all`.
const MOST_CLASSES: usize = 6;
/// Sides of a mean image.
const MEAN_PX: (u32, u32) = (144, 108);
/// The grey that covers what is not border.
const COVER: [u8; 3] = [214, 214, 210];
/// The border, as a share of each side: what `shortcuts` looks at.
const BORDER: u32 = 16;

/// The line at the top.
pub fn title(answer: &ShortcutReport<'_>) -> String {
    let shown = shown(answer).len();
    let part =
        if shown < answer.shortcuts.classes.len() { " (--all shows every class)" } else { "" };
    let name = answer.catalog.collection.name();
    format!("{name}: mean image of a class, mean of all others, and borders alone{part}")
}

fn shown<'a>(answer: &'a ShortcutReport<'_>) -> Vec<&'a ClassShortcut> {
    let most = if answer.all { usize::MAX } else { MOST_CLASSES };
    answer.ordered().into_iter().take(most).collect()
}

/// A row for each class, whose images are still to be read.
pub fn rows(answer: &ShortcutReport<'_>) -> Vec<TileRow> {
    shown(answer).into_iter().map(|class| row(answer, class)).collect()
}

fn row(answer: &ShortcutReport<'_>, class: &ClassShortcut) -> TileRow {
    let own_images: BTreeSet<u32> = class.images.iter().copied().collect();
    let is_own = |image: usize| own_images.contains(&(image as u32));
    let of = |own: bool| {
        let images = answer.thumbnails.iter().enumerate();
        let images = images.filter(move |(image, _)| is_own(*image) == own);
        images.filter_map(|(_, thumbnail)| thumbnail.as_ref())
    };
    let name = visible(&class.class);
    let made = |own: bool, line: &str, count: String| {
        let pixels = mean(of(own)).map(|mean| picture(&mean, MEAN_PX.0, MEAN_PX.1));
        pixels.map(|pixels| Labelled::of_pixels(pixels, [line.to_owned(), count, String::new()]))
    };
    let mut tiles: Vec<Labelled> = [
        made(true, &format!("mean of {name}"), format!("{} images", class.images.len())),
        made(false, "mean of all others", String::new()),
    ]
    .into_iter()
    .flatten()
    .collect();
    let step = (class.images.len() / (COLUMNS - tiles.len())).max(1);
    let images = class.images.iter().step_by(step).take(COLUMNS - tiles.len());
    tiles.extend(images.map(|&image| {
        let image = &answer.found.images[image as usize];
        let name = image.record.path.file_name().to_owned();
        Labelled::of_record(image.index, [name, "border alone".to_owned(), String::new()], false)
    }));
    let verdict = match () {
        () if class.is_background(answer.limits) => "background shortcut",
        () if class.is_border(answer.limits) => "known by its border",
        () => "no shortcut",
    };
    let (border, colour) = (percent(class.border.share), percent(class.colour.share));
    TileRow { head: format!("{name}: {verdict} (border {border}, colour {colour})"), tiles }
}

/// Covers what is not border in the images that were read.
pub fn mask(rows: &mut [TileRow]) {
    let read = rows.iter_mut().flat_map(|row| &mut row.tiles).filter(|tile| tile.record.is_some());
    read.filter_map(|tile| tile.pixels.as_mut()).for_each(cover);
}

fn cover(pixels: &mut Pixels) {
    let (width, height) = (pixels.width_px, pixels.height_px);
    let rim = |side: u32| side.div_ceil(BORDER).max(1);
    for y in rim(height)..height.saturating_sub(rim(height)) {
        for x in rim(width)..width.saturating_sub(rim(width)) {
            let at = (y * width + x) as usize * 3;
            pixels.data[at..at + 3].copy_from_slice(&COVER);
        }
    }
}
