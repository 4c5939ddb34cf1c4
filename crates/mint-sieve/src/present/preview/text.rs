//! `preview` for people: what the policy does, which step does it, and what is on the sheet.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::augment::cost::{Grade, Reason, Verdict};
use sieve_core::augment::steps::Amount;
use sieve_core::augment::{Policy, Step};
use sieve_core::files::shown_name;

use super::{FrameCost, Numbers, Preview};
use crate::console::{Align, ERROR, Narrow, WARNING, heading, safe};
use crate::present::cells::percent;
use crate::present::table::Table;
use crate::present::{command_on, counted, next_step, pack_folder};

/// The whole answer.
pub fn text(preview: &Preview<'_>) -> String {
    let name = preview.collection.name();
    let which = preview.split.map_or(String::new(), |split| format!(", {split} images only"));
    let mut text = format!("{}{which}\n", heading(&safe(&name)));
    if preview.is_held_out {
        text.push_str("This split is never augmented: scores on augmented images do not predict scores on real ones.\n");
    }
    if preview.passed_over > 0 {
        let files = counted(preview.passed_over, "file", "files");
        let _ = writeln!(text, "{files} skipped: unreadable (audit lists them)");
    }
    if let Some(frame) = preview.frame {
        text.push_str(&frame_text(preview, frame));
    }
    if let Some(numbers) = preview.numbers.first() {
        text.push_str(&policy_text(preview, numbers));
    }
    if preview.numbers.len() > 1 {
        text.push('\n');
        text.push_str(&against(preview));
    }
    text.push('\n');
    if let Some(frame) = preview.numbers.first() {
        let _ = writeln!(
            text,
            "Augmentation adds no images: each epoch still sees {}, each one altered{}.",
            preview.images,
            if frame.impact.draws == 0 { " by nothing" } else { "" },
        );
    }
    text.push_str(&written(preview));
    text + "\n" + &next(preview)
}

/// What the frame does without any augmentation.
fn frame_text(preview: &Preview<'_>, frame: &FrameCost) -> String {
    let Policy { frame: shape, .. } = &preview.policies[0].policy;
    let fit = shape.fit.name();
    let mut text = format!(
        "Frame of {}: {}x{}, {fit}; over {}:\n\n",
        safe(&preview.policies[0].name),
        shape.width_px,
        shape.height_px,
        counted(frame.images, "image", "images"),
    );
    let _ = writeln!(
        text,
        "Cropped: {} of the image area on average, {} of the image that loses most.",
        percent(frame.cut),
        percent(frame.most_cut)
    );
    if frame.empty >= 0.0005 {
        let _ = writeln!(
            text,
            "Empty: the image leaves {} of the frame unfilled.",
            percent(frame.empty)
        );
    }
    if frame.most_squeezed > 1.005 {
        let _ =
            writeln!(text, "Stretched: aspect ratios change by up to {:.2}x.", frame.most_squeezed);
    }
    if frame.enlarged > 0 {
        let _ = writeln!(
            text,
            "Enlarged: {} smaller than the frame, by up to {:.1}x.",
            counted(frame.enlarged, "image is", "images are"),
            frame.most_enlarged
        );
    }
    text
}

/// What the first policy does.
fn policy_text(preview: &Preview<'_>, numbers: &Numbers) -> String {
    let impact = &numbers.impact;
    let policy = &preview.policies[0];
    let held_out = match impact.held_out {
        0 => "compared with themselves, as there is no validation split".to_owned(),
        count => {
            format!("compared with {}", counted(count, "validation image", "validation images"))
        }
    };
    let mut text = format!(
        "Policy {}, seed {}: {} of {}, {held_out}\n\n",
        safe(&policy.name),
        preview.request.seed,
        counted(impact.draws, "draw", "draws"),
        counted(impact.subjects.len() as u64, "image", "images"),
    );
    if policy.policy.steps.is_empty() {
        text.push_str("The policy has no steps: images are only fitted into the frame.\n");
    } else {
        text.push_str(&step_table(&policy.policy, numbers));
        text.push('\n');
        text.push_str(&judged(&policy.policy, &numbers.verdicts));
    }
    text.push_str(&invented(&policy.policy, numbers));
    text.push_str(&out_of_range(numbers));
    let _ = writeln!(
        text,
        "Clipped: {} of pixel values become pure black or white, {} in the worst draw; image means shift by {:.0} of 255 levels.",
        percent(impact.clipped),
        percent(impact.most_clipped),
        impact.shift_levels,
    );
    text.push_str(&label_risk(&policy.policy, numbers, preview));
    text.push_str(&processor_time(&policy.policy, numbers, preview));
    text
}

/// A step as people call it.
pub fn step_name(step: &Step) -> String {
    let word = step.setting.word.filter(|_| step.definition.range.is_none());
    let picked = if step.pick.is_some() { "· " } else { "" };
    match word {
        Some(word) => format!("{picked}{} {}", step.definition.name, word.written()),
        None => format!("{picked}{}", step.definition.name),
    }
}

/// The range of a step at a part of its strength.
pub fn range_of(policy: &Policy, step: &Step, strength: f64) -> String {
    let Some(range) = step.definition.range else { return String::new() };
    let strength = policy.strength * strength;
    let scaled = |number: f64| step.definition.scaled(number, strength);
    match &step.setting.amount {
        Amount::Nothing => String::new(),
        Amount::Between(from, to) => {
            let (from, to) = (scaled(*from), scaled(*to));
            range.unit.range(from.min(to), from.max(to))
        }
        Amount::Values(values) => {
            let values: Vec<String> =
                values.iter().map(|&value| format!("{}", scaled(value))).collect();
            values.join(", ")
        }
    }
}

/// What each step may do, and what it does by itself when it happens.
fn step_table(policy: &Policy, numbers: &Numbers) -> String {
    let mut head = vec!["step", "chance", "between"];
    head.extend(["invented", "hidden", "out of range", "clipped", "label risk", ""]);
    let mut rows = vec![head.into_iter().map(str::to_owned).collect::<Vec<_>>()];
    for (index, (step, verdict)) in policy.steps.iter().zip(&numbers.verdicts).enumerate() {
        let mut row =
            vec![step_name(step), percent(policy.chance_of(index)), range_of(policy, step, 1.0)];
        row.extend(verdict.shares.iter().map(|share| some_percent(*share)));
        row.push(verdict.grade.name().to_owned());
        rows.push(row);
    }
    let impact = &numbers.impact;
    let risk = impact.label_risk.as_ref();
    let added = |share: f64, plain: f64| some_percent((share - plain).max(0.0));
    rows.push(vec![
        "(all together)".to_owned(),
        String::new(),
        String::new(),
        some_percent(numbers.geometry.invented.mean),
        added(numbers.geometry.hidden.mean, numbers.geometry.hidden_by_frame),
        added(impact.any_out_of_range, impact.any_out_of_range_plain),
        some_percent(impact.clipped),
        risk.map_or(String::new(), |risk| added(risk.share, risk.plain)),
        String::new(),
    ]);
    let columns = [
        Align::Left,
        Align::Right,
        Align::Left,
        Align::Right,
        Align::Right,
        Align::Right,
        Align::Right,
        Align::Right,
        Align::Left,
    ];
    let narrow = Narrow::Drop(&["chance", "label risk", "clipped", "between"]);
    Table::new(&columns, rows).text(narrow)
}

/// A share, or a dash where it is none, so that the others stand out.
fn some_percent(share: f64) -> String {
    if share < 0.0005 { "-".to_owned() } else { percent(share) }
}

/// What goes too far, why, and what would bring it back.
fn judged(policy: &Policy, verdicts: &[Verdict]) -> String {
    let mut text = String::new();
    for grade in [Grade::Harsh, Grade::Strong] {
        let reported =
            policy.steps.iter().zip(verdicts).filter(|(_, verdict)| verdict.grade == grade);
        for (step, verdict) in reported {
            let (style, word) = match grade {
                Grade::Harsh => (ERROR, "Harsh"),
                _ => (WARNING, "Strong"),
            };
            let share = verdict.shares[verdict.reason as usize];
            let range = range_of(policy, step, 1.0);
            let at = if range.is_empty() { String::new() } else { format!(" at {range}") };
            let back = verdict.back.map_or(String::new(), |back| {
                format!("; {} at {}", percent(back.share), range_of(policy, step, back.strength))
            });
            let _ = writeln!(
                text,
                "{style}{word}:{style:#} {}: {}{at}{back}.",
                step_name(step).trim_start_matches("· "),
                reason_in_words(verdict.reason, share),
            );
        }
    }
    if !text.is_empty() {
        text.push_str("Grades come from geometry, range and similarity. No model was trained.\n\n");
    }
    text
}

pub fn reason_in_words(reason: Reason, share: f64) -> String {
    let share = percent(share);
    match reason {
        Reason::Invented => format!("{share} of the frame is invented"),
        Reason::Hidden => format!("{share} of the image is hidden"),
        Reason::OutOfRange => format!("{share} of draws leave the range of real images"),
        Reason::Clipped => format!("{share} of pixel values are clipped"),
        Reason::LabelRisk => format!("{share} more draws look most like another class"),
    }
}

/// What is made up and what is hidden, and which step does it.
fn invented(policy: &Policy, numbers: &Numbers) -> String {
    let geometry = &numbers.geometry;
    let spread = geometry.invented;
    let mut text = format!(
        "Invented: {} of the frame falls outside the image on average",
        percent(spread.mean)
    );
    if spread.most >= 0.0005 {
        let _ = write!(text, ", {} in the worst of {} draws", percent(spread.most), geometry.draws);
    }
    let beyond = [(spread.beyond_quarter, "a quarter"), (spread.beyond_half, "a half")];
    let reported = beyond.iter().filter(|(share, _)| *share >= 0.0005);
    let reported: Vec<String> = reported
        .map(|(share, part)| format!("more than {part} in {} of them", percent(*share)))
        .collect();
    if !reported.is_empty() {
        let _ = write!(text, ", {}", reported.join(", "));
    }
    text.push_str(".\n");
    if spread.mean >= 0.0005 {
        let steps = policy.steps.iter().zip(&geometry.without_step);
        let named = steps.filter_map(|(step, share)| Some((step.definition.name, (*share)?)));
        // What takes nothing away is not worth a word.
        let telling = named.filter(|(_, share)| spread.mean - share >= 0.0005);
        let without: Vec<String> =
            telling.map(|(name, share)| format!("{} without {name}", percent(share))).collect();
        let weaker: Vec<String> = geometry
            .at_strength
            .iter()
            .map(|(strength, share)| format!("{} at {:.0}%", percent(*share), strength * 100.0))
            .collect();
        let without = match without[..] {
            [] => String::new(),
            _ => format!("{}; ", without.join(", ")),
        };
        let _ = writeln!(text, "  {without}{} strength.", weaker.join(", "));
    }
    let hidden = geometry.hidden;
    let _ = write!(
        text,
        "Hidden: {} of the image falls outside the frame; the frame alone hides {}",
        percent(hidden.mean),
        percent(geometry.hidden_by_frame),
    );
    if hidden.beyond_half >= 0.0005 {
        let _ = write!(text, "; {} of draws hide more than half", percent(hidden.beyond_half));
    }
    text.push_str(".\n");
    text
}

/// What people call the ends of a measure.
const ENDS: [(&str, &str); 5] = [
    ("darker", "brighter"),
    ("lower in contrast", "higher in contrast"),
    ("greyer", "more colourful"),
    ("softer", "sharper"),
    ("cooler", "warmer"),
];

fn out_of_range(numbers: &Numbers) -> String {
    let impact = &numbers.impact;
    let whom = if impact.held_out == 0 { "the images" } else { "validation" };
    let mut text = format!(
        "Out of range: {} of draws fall outside the central 98% of {whom} in at least one measure ({} without augmentation).\n",
        percent(impact.any_out_of_range),
        percent(impact.any_out_of_range_plain),
    );
    let mut ends: Vec<(f64, f64, &str)> = Vec::new();
    for (out, (low, high)) in impact.out_of_range.iter().zip(ENDS) {
        ends.push((out.below, out.below_plain, low));
        ends.push((out.above, out.above_plain, high));
    }
    ends.retain(|(drawn, plain, _)| drawn - plain >= 0.02);
    ends.sort_by(|a, b| (b.0 - b.1).total_cmp(&(a.0 - a.1)));
    let reported: Vec<String> = ends
        .iter()
        .map(|(drawn, plain, end)| format!("{} {end} ({})", percent(*drawn), percent(*plain)))
        .collect();
    if !reported.is_empty() {
        let _ = writeln!(text, "  {}.", reported.join(", "));
    }
    text
}

fn label_risk(policy: &Policy, numbers: &Numbers, preview: &Preview<'_>) -> String {
    let Some(risk) = &numbers.impact.label_risk else { return String::new() };
    let mut text = format!(
        "Label risk: {} of draws look most like an image of another class ({} without augmentation).\n",
        percent(risk.share),
        percent(risk.plain),
    );
    let named = |confused: &[(String, String, f64)]| {
        let pairs: Vec<String> = confused
            .iter()
            .take(3)
            .map(|(from, to, share)| format!("{} -> {} {}", safe(from), safe(to), percent(*share)))
            .collect();
        pairs.join(", ")
    };
    for (step, impact) in policy.steps.iter().zip(&numbers.impact.steps) {
        if !impact.confused.is_empty() {
            let _ = writeln!(
                text,
                "  {}: {}.",
                step_name(step).trim_start_matches("· "),
                named(&impact.confused)
            );
        }
    }
    // What steps do together is not what each does: two flips are half a turn.
    let is_risky = risk.share - risk.plain > preview.limits.label_risk;
    if policy.steps.len() > 1 && is_risky && !risk.confused.is_empty() {
        let _ = writeln!(text, "  all together: {}.", named(&risk.confused));
    }
    text
}

fn processor_time(policy: &Policy, numbers: &Numbers, preview: &Preview<'_>) -> String {
    let Some(cost) = &numbers.cost else { return String::new() };
    let threads = rayon::current_num_threads();
    let epoch = |ms: f64| ms * preview.images as f64 / threads as f64 / 1e3;
    let per_epoch = |ms: f64| match epoch(ms) {
        seconds if seconds < 100.0 => format!("{seconds:.1} s"),
        seconds => format!("{:.1} min", seconds / 60.0),
    };
    let mut text = format!(
        "Processor time per image, over {}: {:.1} ms to decode and prepare, {:.1} ms for the frame alone, {:.1} ms with the policy; an epoch of {} on {}: {} with the policy, {} without.\n",
        cost.images,
        cost.decoding_ms,
        cost.frame_ms,
        cost.policy_ms,
        counted(preview.images, "image", "images"),
        counted(threads as u64, "thread", "threads"),
        per_epoch(cost.decoding_ms + cost.policy_ms),
        per_epoch(cost.decoding_ms + cost.frame_ms),
    );
    let steps: Vec<String> = policy
        .steps
        .iter()
        .zip(&cost.step_ms)
        .map(|(step, ms)| format!("{} {ms:.2} ms", step_name(step).trim_start_matches("· ")))
        .collect();
    if !steps.is_empty() {
        let _ = writeln!(text, "  {}.", steps.join(", "));
    }
    text
}

/// The policies side by side.
fn against(preview: &Preview<'_>) -> String {
    let head = ["policy", "invented", "hidden", "out of range", "clipped", "label risk", "steps"];
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    for (policy, numbers) in preview.policies.iter().zip(preview.numbers) {
        let impact = &numbers.impact;
        let count = |grade: Grade| {
            let steps = numbers.verdicts.iter().filter(|verdict| verdict.grade == grade).count();
            (steps > 0).then(|| format!("{steps} {}", grade.name()))
        };
        let grades: Vec<String> =
            [Grade::Harsh, Grade::Strong, Grade::Gentle].into_iter().filter_map(count).collect();
        rows.push(vec![
            safe(&policy.name),
            percent(numbers.geometry.invented.mean),
            percent(numbers.geometry.hidden.mean),
            percent(impact.any_out_of_range),
            percent(impact.clipped),
            impact.label_risk.as_ref().map_or(String::new(), |risk| percent(risk.share)),
            grades.join(", "),
        ]);
    }
    if let Some(numbers) = preview.numbers.first() {
        let impact = &numbers.impact;
        rows.push(vec![
            "(none)".to_owned(),
            percent(0.0),
            percent(numbers.geometry.hidden_by_frame),
            percent(impact.any_out_of_range_plain),
            percent(0.0),
            impact.label_risk.as_ref().map_or(String::new(), |risk| percent(risk.plain)),
            String::new(),
        ]);
    }
    let mut columns = vec![Align::Right; head.len()];
    columns[0] = Align::Left;
    columns[head.len() - 1] = Align::Left;
    format!(
        "{}\n{}",
        heading("Side by side"),
        Table::new(&columns, rows).text(Narrow::Drop(&["steps", "label risk"]))
    )
}

/// Where the sheet is, and at which scale.
fn written(preview: &Preview<'_>) -> String {
    let (Some(sheet), Some(out)) = (preview.sheet, &preview.request.out) else {
        return String::new();
    };
    let frame = preview.policies[0].policy.frame;
    let layout = sheet.layout;
    let scale = match (layout.shrink, layout.enlarge) {
        (1, 1) => "each pixel as the model sees it".to_owned(),
        (1, times) => {
            format!("every pixel of the {}x{} frame {times} times", frame.width_px, frame.height_px)
        }
        (shrink, _) => format!("tiles at 1/{shrink} of {}x{}", frame.width_px, frame.height_px),
    };
    let mut shown: Vec<&str> = sheet.rows.iter().map(|row| row.class.as_str()).collect();
    shown.dedup();
    format!(
        "Written: {} ({}x{}, {scale}; {} of {})\n",
        safe(&shown_name(out.as_os_str())),
        layout.width(),
        layout.height(),
        counted(sheet.rows.len() as u64 / preview.policies.len() as u64, "image", "images"),
        counted(shown.len() as u64, "class", "classes"),
    )
}

/// The step that a person would take next.
fn next(preview: &Preview<'_>) -> String {
    let request = preview.request;
    let mut words = command_on(preview.config, "preview", &[&"--policy", &request.policies[0]]);
    let mut option = |name: &str, value: &OsStr| words.extend([name.into(), value.to_owned()]);
    let beside = |end: &str| {
        let out = request.out.clone().unwrap_or_else(|| "preview.png".into());
        let mut other = out.with_extension("").into_os_string();
        other.push(format!("-{end}.png"));
        other
    };
    if preview.frame.is_some() {
        option("--out", &beside("policy"));
        let why = "preview the policy on training images:";
        return if preview.is_held_out {
            next_step("see other images in the frame:", &words)
        } else {
            next_step(why, &words)
        };
    }
    // The step that does most is the one to look at.
    let harsh = preview.numbers.first().and_then(|numbers| {
        let steps = preview.policies[0].policy.steps.iter().zip(&numbers.verdicts);
        let reported = steps.filter(|(step, verdict)| {
            verdict.grade > Grade::Gentle && step.setting.amount != Amount::Nothing
        });
        reported.max_by(|a, b| {
            let worst = |verdict: &Verdict| verdict.shares[verdict.reason as usize];
            a.1.grade.cmp(&b.1.grade).then(worst(a.1).total_cmp(&worst(b.1)))
        })
    });
    match harsh.filter(|_| request.ladder.is_none()) {
        Some((step, _)) => {
            let name = step.definition.name;
            option("--ladder", name.as_ref());
            option("--out", &beside(name));
            next_step(&format!("see where {name} goes too far:"), &words)
        }
        // Nothing is left to weaken: the splits can go to training.
        None if !preview.collection.splits.is_empty() && request.ladder.is_none() => {
            let to = pack_folder(&preview.config.roots[0].path);
            let words = command_on(preview.config, "pack", &[&"--to", &to]);
            next_step("pack the splits for training:", &words)
        }
        None => {
            let seed = request.seed.wrapping_add(1).to_string();
            request.classes.iter().for_each(|class| option("--class", class.as_ref()));
            option("--seed", seed.as_ref());
            option("--out", &beside(&seed));
            next_step("see other images and draws:", &words)
        }
    }
}
