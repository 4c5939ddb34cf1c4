//! `preview` for people: what is on the sheet, and how far the policy went.

use std::ffi::OsStr;
use std::fmt::Write;

use sieve_core::augment::steps::{Drawn, Setting, Takes};
use sieve_core::files::shown_name;

use super::Preview;
use crate::console::{Align, Narrow, heading, safe, table};
use crate::present::table::percent;
use crate::present::{command_on, counted, next_step};

/// The whole answer.
pub fn text(preview: &Preview<'_>) -> String {
    let sheet = preview.sheet;
    let name = preview.collection.name();
    let frame = preview.policy.frame;
    let which = preview.split.map_or(String::new(), |split| format!(", {split} images only"));
    let mut shown: Vec<&str> = sheet.rows.iter().map(|row| row.class.as_str()).collect();
    shown.dedup();
    let mut text = format!("{}{which}\n", heading(&safe(&name)));
    let _ = writeln!(
        text,
        "{} from {} of {}, {} each; policy {}, seed {}",
        counted(sheet.rows.len() as u64, "image", "images"),
        shown.len(),
        counted(preview.classes as u64, "class", "classes"),
        counted(u64::from(sheet.layout.draws), "draw", "draws"),
        safe(preview.policy_name),
        preview.args.seed,
    );
    if preview.passed_over > 0 {
        let files = counted(preview.passed_over, "file", "files");
        let _ = writeln!(text, "{files} skipped that cannot be read (audit lists them)");
    }
    text.push('\n');
    text.push_str(&step_table(preview));

    text.push('\n');
    text.push_str(&cost(preview));
    let layout = sheet.layout;
    let scale = match (layout.shrink, layout.enlarge) {
        (1, 1) => "every pixel as the model sees it".to_owned(),
        (1, times) => {
            format!("every pixel of the {}x{} frame {times} times", frame.width_px, frame.height_px)
        }
        (shrink, _) => format!("tiles at 1/{shrink} of {}x{}", frame.width_px, frame.height_px),
    };
    let out = shown_name(preview.args.out.as_os_str());
    let _ = writeln!(
        text,
        "Written: {} ({}x{}, {scale})\n",
        safe(&out),
        layout.width(),
        layout.height()
    );
    let seed = (preview.args.seed.wrapping_add(1)).to_string();
    let args = preview.args;
    let mut other = args.out.with_extension("").into_os_string();
    other.push(format!("-{seed}.png"));
    let mut words = command_on(preview.config, "preview", &[&"--policy", &args.policy]);
    let mut option = |name: &str, value: &OsStr| words.extend([name.into(), value.to_owned()]);
    let numbers = [("--per-class", args.per_class), ("--draws", args.draws)];
    for (name, number) in numbers {
        number.iter().for_each(|number| option(name, number.to_string().as_ref()));
    }
    args.classes.iter().for_each(|class| option("--class", class.as_ref()));
    option("--seed", seed.as_ref());
    option("--out", &other);
    if args.full_size {
        words.push("--full-size".into());
    }
    text + &next_step("open the sheet, then see other images and draws:", &words)
}

/// What the policy costs: invented, hidden and flattened, and which step does it.
fn cost(preview: &Preview<'_>) -> String {
    let geometry = preview.geometry;
    let mut text = format!(
        "Invented: {} of the frame lies outside the image, {} in the worst of {} draws.\n",
        percent(geometry.outside.mean),
        percent(geometry.outside.most),
        geometry.draws,
    );
    if geometry.outside.mean >= 0.0005 {
        let steps = preview.policy.steps.iter().zip(&geometry.without_step);
        let named = steps.filter_map(|(step, share)| Some((step.definition.name, (*share)?)));
        // What takes nothing away is not worth a word.
        let telling = named.filter(|(_, share)| geometry.outside.mean - share >= 0.0005);
        let without: Vec<String> =
            telling.map(|(name, share)| format!("{} without {name}", percent(share))).collect();
        let weaker: Vec<String> = geometry
            .at_strength
            .iter()
            .map(|(strength, share)| format!("{} at {:.0} %", percent(*share), strength * 100.0))
            .collect();
        let without = match without[..] {
            [] => String::new(),
            _ => format!("{}; ", without.join(", ")),
        };
        let _ = writeln!(text, "  {without}{} of the strength.", weaker.join(", "));
    }
    let _ = writeln!(
        text,
        "Hidden: {} of the image is not in the frame, {} of it by the frame alone.",
        percent(geometry.unseen.mean),
        percent(geometry.unseen_by_frame),
    );
    let tones = preview.tones();
    let _ = writeln!(
        text,
        "Flattened: {} of the values on the sheet are newly black or white, {} in the worst draw; the mean moves by {:.0} \
         levels of 255.",
        percent(tones.clipped),
        percent(tones.most_clipped),
        tones.shift,
    );
    text
}

/// What each step of the policy may do, and what it did here.
fn step_table(preview: &Preview<'_>) -> String {
    let draws = preview.drawn().count();
    let head = ["step", "happened", "chance", "drawn", "between"].map(str::to_owned).to_vec();
    let mut rows = vec![head];
    for (index, step) in preview.policy.steps.iter().enumerate() {
        let all = preview.drawn().flat_map(|tile| &tile.draw.steps);
        let here: Vec<&Drawn> =
            all.filter(|happened| happened.step == index).map(|happened| &happened.drawn).collect();
        let values: Vec<f64> = here.iter().flat_map(|drawn| drawn.numbers()).copied().collect();
        let least = values.iter().copied().fold(f64::INFINITY, f64::min);
        let most = values.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        let name = match step.setting {
            Setting::Axis(axis) => format!("{} {}", step.definition.name, axis.name()),
            Setting::Range(..) => step.definition.name.to_owned(),
        };
        let range = |from: f64, to: f64| match step.definition.takes {
            Takes::Range { unit, .. } => unit.range(from, to),
            Takes::Axis => String::new(),
        };
        rows.push(vec![
            name,
            format!("{} of {draws}", here.len()),
            percent(step.chance),
            if values.is_empty() { String::new() } else { range(least, most) },
            match step.setting {
                Setting::Range(from, to) => range(from, to),
                Setting::Axis(_) => String::new(),
            },
        ]);
    }
    let columns = [Align::Left, Align::Right, Align::Right, Align::Left, Align::Left];
    table(&columns, Narrow::Keep, rows)
}
