//! `preview --format json`. The fields are a contract: see docs/formats.md.

use serde::Serialize;
use sieve_core::augment::{Affine, DrawnStep, Fill, Fit};
use sieve_core::files::shown_name;

use super::{Preview, outside};
use crate::present::envelope;

#[derive(Serialize)]
struct Settings<'a> {
    policy: String,
    frame: Frame,
    fill: String,
    steps: usize,
    seed: u64,
    classes: &'a [String],
    split: Option<&'a str>,
}

#[derive(Serialize)]
struct Frame {
    width_px: u32,
    height_px: u32,
    fit: &'static str,
}

#[derive(Serialize)]
struct Body<'a> {
    sheet: SheetFile,
    outside: Shares,
    geometry: Geometry,
    tones: Tones,
    tiles: Vec<TilePlace<'a>>,
}

#[derive(Serialize)]
struct SheetFile {
    path: String,
    width_px: u32,
    height_px: u32,
    /// Pixels of the sheet to one of the frame, in each direction.
    tile_scale: f64,
}

#[derive(Serialize)]
struct Shares {
    unaugmented_mean: f64,
    mean: f64,
    most: f64,
}

/// Over many draws, without pixels.
#[derive(Serialize)]
struct Geometry {
    draws: u64,
    outside_mean: f64,
    outside_most: f64,
    unseen_mean: f64,
    unseen_by_frame: f64,
    without_step: Vec<Option<f64>>,
    at_strength: Vec<Strength>,
}

#[derive(Serialize)]
struct Strength {
    strength: f64,
    outside_mean: f64,
}

/// Of the draws on the sheet.
#[derive(Serialize)]
struct Tones {
    newly_clipped_mean: f64,
    newly_clipped_most: f64,
    shift_levels_mean: f64,
}

#[derive(Serialize)]
struct TilePlace<'a> {
    path: &'a str,
    class: &'a str,
    split: Option<&'a str>,
    /// 0 without augmentation, then 1, 2, ...
    draw: usize,
    x_px: u32,
    y_px: u32,
    width_px: u32,
    height_px: u32,
    image_width_px: u32,
    image_height_px: u32,
    steps: &'a [DrawnStep],
    image_to_frame: Affine,
    outside_share: f64,
    newly_clipped: f64,
    shift_levels: f64,
}

/// Every tile with its place and what was drawn for it.
pub fn json(preview: &Preview<'_>) -> String {
    let (policy, layout) = (preview.policy, &preview.sheet.layout);
    let settings = Settings {
        policy: preview.policy_name.to_owned(),
        frame: Frame {
            width_px: policy.frame.width_px,
            height_px: policy.frame.height_px,
            fit: match policy.frame.fit {
                Fit::Cover => "cover",
                Fit::Contain => "contain",
                Fit::Stretch => "stretch",
            },
        },
        fill: match policy.fill {
            Fill::Mirror => "mirror".to_owned(),
            Fill::Edge => "edge".to_owned(),
            Fill::Wrap => "wrap".to_owned(),
            Fill::Colour([red, green, blue]) => format!("#{red:02x}{green:02x}{blue:02x}"),
        },
        steps: policy.steps.len(),
        seed: preview.args.seed,
        classes: &preview.args.classes,
        split: preview.split,
    };
    let (plain, drawn) = (outside(preview.plain()), outside(preview.drawn()));
    let (geometry, tones) = (preview.geometry, preview.tones());
    let rows = (0..).zip(&preview.sheet.rows);
    let tiles = rows.flat_map(|(row_index, row)| {
        let place = move |draw: usize| layout.place(row_index, draw as u32);
        row.tiles.iter().enumerate().map(move |(draw, tile)| TilePlace {
            path: &row.path,
            class: &row.class,
            split: row.split.as_deref(),
            draw,
            x_px: place(draw).0,
            y_px: place(draw).1,
            width_px: layout.tile_width,
            height_px: layout.tile_height,
            image_width_px: row.size_px.0,
            image_height_px: row.size_px.1,
            steps: &tile.draw.steps,
            image_to_frame: tile.warped.to_frame,
            outside_share: tile.warped.outside_share,
            newly_clipped: tile.warped.tone.newly_clipped,
            shift_levels: tile.warped.tone.shift_levels,
        })
    });
    let body = Body {
        sheet: SheetFile {
            path: shown_name(preview.args.out.as_os_str()),
            width_px: layout.width(),
            height_px: layout.height(),
            tile_scale: layout.scale(),
        },
        geometry: Geometry {
            draws: geometry.draws,
            outside_mean: geometry.outside.mean,
            outside_most: geometry.outside.most,
            unseen_mean: geometry.unseen.mean,
            unseen_by_frame: geometry.unseen_by_frame,
            without_step: geometry.without_step.clone(),
            at_strength: geometry
                .at_strength
                .iter()
                .map(|&(strength, outside_mean)| Strength { strength, outside_mean })
                .collect(),
        },
        tones: Tones {
            newly_clipped_mean: tones.clipped,
            newly_clipped_most: tones.most_clipped,
            shift_levels_mean: tones.shift,
        },
        outside: Shares { unaugmented_mean: plain.mean, mean: drawn.mean, most: drawn.most },
        tiles: tiles.collect(),
    };
    envelope("preview", settings, body)
}
