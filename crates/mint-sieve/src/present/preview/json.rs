//! `preview --format json`. The fields are a contract: see docs/formats.md.

use std::collections::BTreeMap;

use serde::Serialize;
use sieve_core::augment::cost::{GeometryCost, Impact, Reason, Verdict};
use sieve_core::augment::{Colours, DrawnStep, Fill, Policy, Projective, Sampling};
use sieve_core::files::shown_name;

use super::{FrameCost, Numbers, Preview};
use crate::present::envelope;
use crate::present::sheet::Sheet;

#[derive(Serialize)]
struct Settings<'a> {
    policies: Vec<PolicySettings>,
    ladder: Option<&'a str>,
    seed: u64,
    classes: &'a [String],
    split: Option<&'a str>,
    limits: BTreeMap<&'static str, f64>,
}

#[derive(Serialize)]
struct PolicySettings {
    name: String,
    frame: FrameSettings,
    fill: String,
    strength: f64,
    steps: usize,
}

/// The frame of a policy.
#[derive(Serialize)]
pub struct FrameSettings {
    width_px: u32,
    height_px: u32,
    fit: &'static str,
    pub background: Option<String>,
    pub colour: &'static str,
    pub sampling: &'static str,
}

impl FrameSettings {
    /// Of a policy.
    pub fn new(policy: &Policy) -> Self {
        let frame = policy.frame;
        FrameSettings {
            width_px: frame.width_px,
            height_px: frame.height_px,
            fit: frame.fit.name(),
            background: frame.background.map(colour),
            colour: match frame.colours {
                Colours::Rgb => "rgb",
                Colours::Grey => "grey",
            },
            sampling: match frame.sampling {
                Sampling::Bilinear => "bilinear",
                Sampling::Cubic => "cubic",
            },
        }
    }
}

fn colour([red, green, blue]: [u8; 3]) -> String {
    format!("#{red:02x}{green:02x}{blue:02x}")
}

/// A fill as a policy writes it.
pub fn fill(fill: Fill) -> String {
    match fill {
        Fill::Mirror => "mirror".to_owned(),
        Fill::Edge => "edge".to_owned(),
        Fill::Wrap => "wrap".to_owned(),
        Fill::Colour(values) => colour(values),
    }
}

#[derive(Serialize)]
struct Body<'a> {
    sheet: Option<SheetFile>,
    policies: Vec<PolicyNumbers<'a>>,
    frame: Option<FrameNumbers>,
    tiles: Vec<TilePlace<'a>>,
}

#[derive(Serialize)]
struct SheetFile {
    path: Option<String>,
    width_px: u32,
    height_px: u32,
    /// Pixels of the sheet to one of the frame, in each direction.
    tile_scale: f64,
}

#[derive(Serialize)]
struct FrameNumbers {
    images: u64,
    cropped_mean: f64,
    cropped_max: f64,
    uncovered_mean: f64,
    enlarged: u64,
    upscale_max: f64,
    stretch_max: f64,
}

impl From<&FrameCost> for FrameNumbers {
    fn from(cost: &FrameCost) -> Self {
        FrameNumbers {
            images: cost.images,
            cropped_mean: cost.cut,
            cropped_max: cost.most_cut,
            uncovered_mean: cost.empty,
            enlarged: cost.enlarged,
            upscale_max: cost.most_enlarged,
            stretch_max: cost.most_squeezed,
        }
    }
}

#[derive(Serialize)]
struct PolicyNumbers<'a> {
    name: &'a str,
    images: usize,
    held_out: u64,
    draws: u64,
    geometry: Geometry,
    tones: Tones,
    out_of_range: OutOfRange,
    label_risk: Option<LabelRisk>,
    steps: Vec<StepNumbers>,
    processor_time: Option<ProcessorTime>,
}

/// Over many draws, without pixels.
#[derive(Serialize)]
struct Geometry {
    draws: u64,
    invented: Spread,
    hidden: Spread,
    hidden_by_frame: f64,
    at_strength: Vec<Strength>,
}

#[derive(Serialize)]
struct Spread {
    mean: f64,
    max: f64,
    beyond_quarter: f64,
    beyond_half: f64,
}

#[derive(Serialize)]
struct Strength {
    strength: f64,
    invented_mean: f64,
}

#[derive(Serialize)]
struct Tones {
    newly_clipped_mean: f64,
    newly_clipped_max: f64,
    shift_levels_mean: f64,
}

#[derive(Serialize)]
struct OutOfRange {
    any: f64,
    any_unaugmented: f64,
    measures: Vec<Measure>,
}

#[derive(Serialize)]
struct Measure {
    measure: &'static str,
    from: f64,
    to: f64,
    below: f64,
    above: f64,
    below_unaugmented: f64,
    above_unaugmented: f64,
}

#[derive(Serialize)]
struct LabelRisk {
    share: f64,
    unaugmented: f64,
    confused: Vec<Confused>,
}

#[derive(Serialize)]
struct Confused {
    class: String,
    looks_like: String,
    share: f64,
}

#[derive(Serialize)]
struct StepNumbers {
    r#do: &'static str,
    chance: f64,
    grade: &'static str,
    reason: Option<&'static str>,
    shares: BTreeMap<&'static str, f64>,
    invented_without: Option<f64>,
    gentle_at: Option<GentleAt>,
    confused: Vec<Confused>,
}

#[derive(Serialize)]
struct GentleAt {
    strength: f64,
    share: f64,
}

#[derive(Serialize)]
struct ProcessorTime {
    images: u64,
    threads: usize,
    decoding_ms: f64,
    frame_ms: f64,
    policy_ms: f64,
    step_ms: Vec<f64>,
}

#[derive(Serialize)]
struct TilePlace<'a> {
    path: &'a str,
    class: &'a str,
    split: Option<&'a str>,
    policy: &'a str,
    draw: usize,
    x_px: u32,
    y_px: u32,
    width_px: u32,
    height_px: u32,
    image_width_px: u32,
    image_height_px: u32,
    steps: &'a [DrawnStep],
    image_to_frame: Option<Projective>,
    outside_share: f64,
    newly_clipped: f64,
    shift_levels: f64,
}

/// The whole answer.
pub fn json(preview: &Preview<'_>) -> String {
    let settings = Settings {
        policies: preview
            .policies
            .iter()
            .map(|named| PolicySettings {
                name: named.name.clone(),
                frame: FrameSettings::new(&named.policy),
                fill: fill(named.policy.fill),
                strength: named.policy.strength,
                steps: named.policy.steps.len(),
            })
            .collect(),
        ladder: preview.request.ladder.as_deref(),
        seed: preview.request.seed,
        classes: &preview.request.classes,
        split: preview.split,
        limits: preview
            .limits
            .values()
            .into_iter()
            .filter(|(name, _)| is_of_policies(name))
            .collect(),
    };
    let numbers = preview.policies.iter().zip(preview.numbers);
    let body = Body {
        sheet: preview.sheet.map(|sheet| SheetFile {
            path: preview.request.out.as_ref().map(|out| shown_name(out.as_os_str())),
            width_px: sheet.layout.width(),
            height_px: sheet.layout.height(),
            tile_scale: sheet.layout.scale(),
        }),
        policies: numbers
            .map(|(named, numbers)| policy(&named.name, &named.policy, numbers))
            .collect(),
        frame: preview.frame.map(FrameNumbers::from),
        tiles: preview.sheet.map_or_else(Vec::new, |sheet| tiles(preview, sheet)),
    };
    envelope("preview", settings, body)
}

fn is_of_policies(limit: &str) -> bool {
    Reason::ALL.iter().any(|reason| reason.name() == limit)
}

fn policy<'a>(name: &'a str, policy: &Policy, numbers: &Numbers) -> PolicyNumbers<'a> {
    let impact = &numbers.impact;
    PolicyNumbers {
        name,
        images: impact.subjects.len(),
        held_out: impact.held_out,
        draws: impact.draws,
        geometry: geometry(&numbers.geometry),
        tones: Tones {
            newly_clipped_mean: impact.clipped,
            newly_clipped_max: impact.most_clipped,
            shift_levels_mean: impact.shift_levels,
        },
        out_of_range: out_of_range(impact),
        label_risk: impact.label_risk.as_ref().map(|risk| LabelRisk {
            share: risk.share,
            unaugmented: risk.plain,
            confused: confused(&risk.confused),
        }),
        steps: (0..policy.steps.len()).map(|index| step(policy, numbers, index)).collect(),
        processor_time: numbers.cost.as_ref().map(|cost| ProcessorTime {
            images: cost.images,
            threads: rayon::current_num_threads(),
            decoding_ms: cost.decoding_ms,
            frame_ms: cost.frame_ms,
            policy_ms: cost.policy_ms,
            step_ms: cost.step_ms.clone(),
        }),
    }
}

fn geometry(cost: &GeometryCost) -> Geometry {
    let spread = |spread: sieve_core::augment::cost::Spread| Spread {
        mean: spread.mean,
        max: spread.most,
        beyond_quarter: spread.beyond_quarter,
        beyond_half: spread.beyond_half,
    };
    Geometry {
        draws: cost.draws,
        invented: spread(cost.invented),
        hidden: spread(cost.hidden),
        hidden_by_frame: cost.hidden_by_frame,
        at_strength: cost
            .at_strength
            .iter()
            .map(|&(strength, invented_mean)| Strength { strength, invented_mean })
            .collect(),
    }
}

fn out_of_range(impact: &Impact) -> OutOfRange {
    let measures = impact.out_of_range.iter().map(|out| Measure {
        measure: out.measure,
        from: out.range.0,
        to: out.range.1,
        below: out.below,
        above: out.above,
        below_unaugmented: out.below_plain,
        above_unaugmented: out.above_plain,
    });
    OutOfRange {
        any: impact.any_out_of_range,
        any_unaugmented: impact.any_out_of_range_plain,
        measures: measures.collect(),
    }
}

fn confused(pairs: &[(String, String, f64)]) -> Vec<Confused> {
    let pair = |(class, looks_like, share): &(String, String, f64)| Confused {
        class: class.clone(),
        looks_like: looks_like.clone(),
        share: *share,
    };
    pairs.iter().map(pair).collect()
}

fn step(policy: &Policy, numbers: &Numbers, index: usize) -> StepNumbers {
    let Verdict { grade, shares, reason, back } = &numbers.verdicts[index];
    let is_gentle = *grade == sieve_core::augment::cost::Grade::Gentle;
    StepNumbers {
        r#do: policy.steps[index].definition.name,
        chance: policy.chance_of(index),
        grade: grade.name(),
        reason: (!is_gentle).then(|| reason.name()),
        shares: Reason::ALL
            .iter()
            .map(|reason| (reason.name(), shares[*reason as usize]))
            .collect(),
        invented_without: numbers.geometry.without_step[index],
        gentle_at: back.map(|back| GentleAt { strength: back.strength, share: back.share }),
        confused: confused(&numbers.impact.steps[index].confused),
    }
}

fn tiles<'a>(preview: &'a Preview<'_>, sheet: &'a Sheet) -> Vec<TilePlace<'a>> {
    let layout = &sheet.layout;
    let rows = (0..).zip(&sheet.rows);
    let tiles = rows.flat_map(|(row_index, row)| {
        (0u32..).zip(&row.tiles).map(move |(column, tile)| {
            let (x_px, y_px) = layout.place(row_index, column);
            TilePlace {
                path: &row.path,
                class: &row.class,
                split: row.split.as_deref(),
                policy: &preview.policies[row.policy].name,
                draw: tile.drawn.number,
                x_px,
                y_px,
                width_px: layout.tile_width,
                height_px: layout.tile_height,
                image_width_px: row.size_px.0,
                image_height_px: row.size_px.1,
                steps: &tile.drawn.steps,
                image_to_frame: tile.drawn.to_frame,
                outside_share: tile.drawn.outside_share,
                newly_clipped: tile.drawn.tone.newly_clipped,
                shift_levels: tile.drawn.tone.shift_levels,
            }
        })
    });
    tiles.collect()
}
