//! The answers of `policy`.

use std::ffi::OsStr;
use std::fmt::Write;
use std::path::Path;

use serde::Serialize;
use sieve_core::augment::cost::{Impact, Subject, geometry_overview, step_geometry};
use sieve_core::augment::draft::{Drafted, Source};
use sieve_core::augment::steps::{Amount, Definition};
use sieve_core::augment::{Classes, Pick, Policy, Step};
use sieve_core::files::shown_name;

use super::cells::percent;
use super::preview::{FrameSettings, ProcessorTime, fill, range_of, reason_in_words, step_name};
use super::{command_on, counted, envelope, next_step};
use crate::config::CollectionConfig;
use crate::console::{Align, Narrow, heading, safe};
use crate::policy_file::NamedPolicy;
use crate::present::table::Table;
use crate::settings::toml_string;

/// Draws by which geometry is reported.
const DRAWS: u64 = 2000;

/// `policy check`: what the policy does, in words.
pub fn checked(named: &NamedPolicy, file: &Path, time: Option<&ProcessorTime>) -> String {
    let policy = &named.policy;
    let frame = policy.frame;
    let mut text = format!(
        "{}: frame {}x{}, {}; outside the image: {}",
        heading(&safe(&named.name)),
        frame.width_px,
        frame.height_px,
        frame.fit.name(),
        fill(policy.fill),
    );
    if policy.strength != 1.0 {
        let _ = write!(text, "; every range at strength {}", policy.strength);
    }
    text.push_str("\n\n");
    if policy.steps.is_empty() {
        text.push_str("The policy has no steps: images are only fitted into the frame.\n");
        return text;
    }
    // An image of the frame's own shape: what is invented and hidden then is the policy's own doing.
    let subject = [Subject { size_px: (frame.width_px, frame.height_px), class: String::new() }];
    let head = ["", "step", "chance", "between", "invented", "hidden", "time", "what it does"];
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    for (index, step) in policy.steps.iter().enumerate() {
        let alone = step_geometry(policy, index, policy.strength, &subject, 0, DRAWS / 5);
        let share = |share: f64| match step.definition.is_geometry() {
            true => percent(share),
            false => String::new(),
        };
        let mut does = step.definition.does.split(';').next().unwrap_or_default().to_owned();
        match &step.classes {
            Classes::All => {}
            Classes::Never(names) => does.push_str(&format!("; never {}", safe(&names.join(", ")))),
            Classes::Only(names) => does.push_str(&format!("; only {}", safe(&names.join(", ")))),
        }
        rows.push(vec![
            (index + 1).to_string(),
            step_name(step),
            percent(policy.chance_of(index)),
            range_of(policy, step, 1.0),
            share(alone.invented),
            share(alone.hidden),
            time.map_or(String::new(), |time| format!("{:.2} ms", time.step_ms[index])),
            does,
        ]);
    }
    let mut columns = vec![
        Align::Right,
        Align::Left,
        Align::Right,
        Align::Left,
        Align::Right,
        Align::Right,
        Align::Right,
        Align::Left,
    ];
    if time.is_none() {
        let at = rows[0].iter().position(|name| name == "time").expect("it is in the head");
        rows.iter_mut().for_each(|row| drop(row.remove(at)));
        columns.remove(at);
    }
    text.push_str(&Table::new(&columns, rows).text(Narrow::Drop(&["what it does", "hidden"])));
    for pick in &policy.picks {
        let _ = writeln!(text, "·  picked at random: {} of {}", pick.count, pick.of);
    }
    let all = geometry_overview(policy, &subject, 0, DRAWS);
    let _ = writeln!(
        text,
        "\nOn an image with the frame's aspect ratio: {} of the frame is invented, {} in the worst of {} draws; {} of the image is hidden.\n",
        percent(all.invented.mean),
        percent(all.invented.most),
        all.draws,
        percent(all.hidden.mean),
    );
    if let Some(time) = time {
        let _ = writeln!(
            text,
            "Processor time per image of 500 x 375 pixels: {:.1} ms for the frame alone, {:.1} ms with the policy.\n",
            time.frame_ms, time.policy_ms
        );
    }
    let words: [&OsStr; 7] = [
        "mint-sieve".as_ref(),
        "preview".as_ref(),
        "FOLDER".as_ref(),
        "--policy".as_ref(),
        file.as_os_str(),
        "--out".as_ref(),
        "preview.png".as_ref(),
    ];
    text + &next_step("preview it on your images:", &words)
}

/// A policy as TOML, with all that it leaves unsaid.
pub fn toml(policy: &Policy) -> String {
    let mut text = String::new();
    if policy.strength != 1.0 {
        let _ = writeln!(text, "strength = {}\n", policy.strength);
    }
    text.push_str(&head(policy));
    let mut last_pick = None;
    for step in &policy.steps {
        if let Some(pick) = step.pick.filter(|_| step.pick != last_pick) {
            let Pick { count, chance, .. } = policy.picks[pick];
            let _ = write!(text, "\n[[step]]\ndo = \"pick\"\ncount = {count}\nchance = {chance}\n");
        }
        last_pick = step.pick;
        text.push('\n');
        text.push_str(&step_toml(step, ""));
    }
    text
}

fn head(policy: &Policy) -> String {
    let frame = policy.frame;
    let mut text = format!(
        "[frame]\nsize = [{}, {}]\nfit = \"{}\"\n",
        frame.width_px,
        frame.height_px,
        frame.fit.name()
    );
    let settings = FrameSettings::new(policy);
    if let Some(background) = &settings.background {
        let _ = writeln!(text, "background = \"{background}\"");
    }
    let _ = write!(
        text,
        "colour = \"{}\"\nsampling = \"{}\"\n\n[outside]\nfill = \"{}\"\n",
        settings.colour,
        settings.sampling,
        fill(policy.fill)
    );
    text
}

/// The TOML of a step, each line after `before`.
fn step_toml(step: &Step, before: &str) -> String {
    let table = if step.pick.is_some() { "[[step.step]]" } else { "[[step]]" };
    let mut lines = vec![table.to_owned(), format!("do = \"{}\"", step.definition.name)];
    let number = |value: f64| format!("{}", (value * 1e6).round() / 1e6);
    match &step.setting.amount {
        Amount::Nothing => {}
        Amount::Between(from, to) => {
            lines.push(format!("between = [{}, {}]", number(*from), number(*to)))
        }
        Amount::Values(values) => {
            let values: Vec<String> = values.iter().map(|value| number(*value)).collect();
            lines.push(format!("values = [{}]", values.join(", ")));
        }
    }
    if let (Some(second), Some((from, to))) = (step.definition.second, step.setting.second) {
        lines.push(format!("{} = [{}, {}]", second.name, number(from), number(to)));
    }
    if let (Some(choice), Some(word)) = (step.definition.word, step.setting.word) {
        lines.push(format!("{} = \"{}\"", choice.name, word.written()));
    }
    lines.push(format!("chance = {}", number(step.chance)));
    let names = |names: &[String]| {
        let quoted: Vec<String> = names.iter().map(|name| toml_string(name)).collect();
        quoted.join(", ")
    };
    match &step.classes {
        Classes::All => {}
        Classes::Never(classes) => lines.push(format!("never = [{}]", names(classes))),
        Classes::Only(classes) => lines.push(format!("only = [{}]", names(classes))),
    }
    lines.iter().map(|line| format!("{before}{line}\n")).collect()
}

#[derive(Serialize)]
struct Settings<'a> {
    policy: &'a str,
}

#[derive(Serialize)]
struct Body<'a> {
    strength: f64,
    frame: FrameSettings,
    fill: String,
    picks: Vec<PickJson>,
    steps: Vec<StepJson<'a>>,
}

#[derive(Serialize)]
struct PickJson {
    count: usize,
    of: usize,
    chance: f64,
}

#[derive(Serialize)]
struct StepJson<'a> {
    r#do: &'static str,
    between: Option<[f64; 2]>,
    values: Option<&'a [f64]>,
    aspect: Option<[f64; 2]>,
    angle: Option<[f64; 2]>,
    axis: Option<String>,
    fill: Option<String>,
    chance: f64,
    effective_chance: f64,
    never: &'a [String],
    only: &'a [String],
    pick: Option<usize>,
}

/// A policy as JSON.
pub fn json(named: &NamedPolicy) -> String {
    let policy = &named.policy;
    let second = |step: &Step, name: &str| {
        let known = step.definition.second.filter(|second| second.name == name);
        known.and(step.setting.second).map(|(from, to)| [from, to])
    };
    let word = |step: &Step, name: &str| {
        let known = step.definition.word.filter(|choice| choice.name == name);
        known.and(step.setting.word).map(|word| word.written())
    };
    let steps = policy.steps.iter().enumerate().map(|(index, step)| StepJson {
        r#do: step.definition.name,
        between: match step.setting.amount {
            Amount::Between(from, to) => Some([from, to]),
            _ => None,
        },
        values: match &step.setting.amount {
            Amount::Values(values) => Some(values),
            _ => None,
        },
        aspect: second(step, "aspect"),
        angle: second(step, "angle"),
        axis: word(step, "axis"),
        fill: word(step, "fill"),
        chance: step.chance,
        effective_chance: policy.chance_of(index),
        never: if let Classes::Never(names) = &step.classes { names } else { &[] },
        only: if let Classes::Only(names) = &step.classes { names } else { &[] },
        pick: step.pick,
    });
    let pick = |pick: &Pick| PickJson { count: pick.count, of: pick.of, chance: pick.chance };
    let body = Body {
        strength: policy.strength,
        frame: FrameSettings::new(policy),
        fill: fill(policy.fill),
        picks: policy.picks.iter().map(pick).collect(),
        steps: steps.collect(),
    };
    envelope("policy", Settings { policy: &named.name }, body)
}

/// A draft and where it comes from.
pub struct Draft<'a> {
    /// The file of the policy.
    pub out: &'a Path,
    /// The seed of the sample and of the draws.
    pub seed: u64,
    /// How the collection was read.
    pub config: &'a CollectionConfig,
    /// The name of the collection.
    pub name: String,
    /// What the candidates did.
    pub impact: &'a Impact,
    /// The steps.
    pub steps: &'a [Drafted],
    /// The policy of all of them.
    pub policy: Policy,
}

impl Draft<'_> {
    /// What ranges were measured on.
    fn measured_on(&self) -> String {
        match self.impact.held_out {
            0 => counted(self.impact.reference.len() as u64, "image", "images"),
            count => counted(count, "validation image", "validation images"),
        }
    }

    /// Why a step is there or not, as a sentence of the file.
    fn reason(&self, drafted: &Drafted) -> String {
        let mut reason = match drafted.source {
            Source::Spread(measure, _) => format!(
                "The middle 80% of {} differ from their class median in {measure} by this much",
                self.measured_on()
            ),
            Source::Mild => "A common mild range; no measure here supports it".to_owned(),
            Source::LabelRisk => return self.flip_reason(drafted),
        };
        if let Some(too_far) = too_far(drafted) {
            let _ = write!(reason, ". Not proposed: {too_far} at every strength tried");
        }
        if drafted.strength < 1.0 {
            let name = drafted.step.definition.name;
            reason.push_str(match drafted.source {
                Source::Spread("sharpness", _) => "; 1 pixel was tried",
                _ => "",
            });
            let _ = write!(
                reason,
                "; reduced to {:.0}% strength, at which preview grades {name} gentle",
                drafted.strength * 100.0
            );
        }
        reason + "."
    }

    /// The same in a few words.
    fn reason_in_short(&self, drafted: &Drafted) -> String {
        let reason = match drafted.source {
            Source::Spread(measure, _) => format!("spread of {measure}"),
            Source::Mild => "common and mild".to_owned(),
            Source::LabelRisk => match (&self.impact.label_risk, drafted.label_risk) {
                (None, _) => "there is only one class".to_owned(),
                (Some(risk), _) if risk.plain >= 0.5 => {
                    "similarity does not separate these classes".to_owned()
                }
                (Some(_), share) if share > 0.0 => {
                    format!("{} then look like another class", percent(share))
                }
                (Some(_), _) => "does not look like another class".to_owned(),
            },
        };
        match too_far(drafted) {
            Some(too_far) => format!("{reason}; {too_far}"),
            None if drafted.strength < 1.0 => {
                format!("{reason}, reduced to {:.0}% to stay gentle", drafted.strength * 100.0)
            }
            None => reason,
        }
    }

    fn flip_reason(&self, drafted: &Drafted) -> String {
        let plain = self.impact.label_risk.as_ref().map(|risk| risk.plain);
        let axis = drafted.step.setting.word.map_or(String::new(), |word| word.written());
        match plain {
            None if axis == "top-bottom" => {
                "There is only one class, so a flip cannot turn it into another. Enable it if the camera has no fixed up.".to_owned()
            }
            None => "There is only one class, so a flip cannot turn it into another.".to_owned(),
            Some(plain) if plain >= 0.5 => format!(
                "Not proposed: similarity does not separate these classes ({} look most like another without any change).",
                percent(plain)
            ),
            Some(_) if drafted.label_risk > 0.0 => format!(
                "Not proposed: {} of images look like another class when flipped.",
                percent(drafted.label_risk)
            ),
            Some(_) if axis == "top-bottom" => {
                "Does not make images look like another class. Enable it if the camera has no fixed up.".to_owned()
            }
            Some(_) => "Does not make images look like another class.".to_owned(),
        }
    }
}

fn too_far(drafted: &Drafted) -> Option<String> {
    drafted.too_far.map(|(reason, share)| reason_in_words(reason, share))
}

/// The file of a draft.
pub fn draft_toml(draft: &Draft<'_>) -> String {
    let mut text = format!(
        "# A first augmentation policy for {}, drafted from {} (seed {}).\n# Preview it before training with it:\n#\n#   mint-sieve \
         preview COLLECTION --policy THIS_FILE --out preview.png\n\n{}",
        safe(&draft.name).replace('\n', " "),
        draft.measured_on(),
        draft.seed,
        head(&draft.policy),
    );
    for drafted in draft.steps {
        let before = if drafted.is_proposed { "" } else { "# " };
        text.push('\n');
        for line in wrapped(&draft.reason(drafted)) {
            let _ = writeln!(text, "# {line}");
        }
        text.push_str(&step_toml(&rounded(&drafted.step), before));
    }
    text
}

/// Ranges as a person would write them: two digits that count.
fn rounded(step: &Step) -> Step {
    let mut step = step.clone();
    if let Amount::Between(from, to) = &mut step.setting.amount {
        let scale = if to.abs().max(from.abs()) >= 5.0 { 1.0 } else { 100.0 };
        let within = |value: f64, definition: &Definition| {
            let rounded = (value * scale).round() / scale;
            definition.range.map_or(rounded, |range| rounded.clamp(range.least, range.most))
        };
        (*from, *to) = (within(*from, step.definition), within(*to, step.definition));
    }
    step
}

/// A sentence in lines of up to 100 letters.
fn wrapped(text: &str) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let line = lines.last_mut().expect("there is one");
        if !line.is_empty() && line.len() + word.len() > 98 {
            lines.push(word.to_owned());
        } else {
            line.push_str(if line.is_empty() { "" } else { " " });
            line.push_str(word);
        }
    }
    lines
}

/// What was written.
pub fn draft_text(draft: &Draft<'_>) -> String {
    let mut text =
        format!("{}, measured on {}\n\n", heading(&safe(&draft.name)), draft.measured_on());
    let head = ["step", "between", "why"];
    let mut rows = vec![head.map(str::to_owned).to_vec()];
    for drafted in draft.steps {
        let step = rounded(&drafted.step);
        let word = step.setting.word.map_or(String::new(), |word| format!(" {}", word.written()));
        let left = if drafted.is_proposed { "" } else { "(" };
        let right = if drafted.is_proposed { "" } else { ")" };
        rows.push(vec![
            format!("{left}{}{word}{right}", step.definition.name),
            range_of(&draft.policy, &step, 1.0),
            draft.reason_in_short(drafted),
        ]);
    }
    text.push_str(&Table::new(&[Align::Left; 3], rows).text(Narrow::Drop(&["why"])));
    let out = shown_name(draft.out.as_os_str());
    let _ = writeln!(
        text,
        "\nSpread: how far the middle 80% of images are from their class median.\nSteps in brackets are commented out in the file.\nWritten: {}\n",
        safe(&out)
    );
    let picture = draft.out.with_extension("png");
    let words = command_on(draft.config, "preview", &[&"--policy", &draft.out, &"--out", &picture]);
    text + &next_step("preview it before training with it:", &words)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_policy_written_out_is_the_same_policy() {
        let text = "strength = 0.5\n[frame]\nsize = [64, 48]\nfit = 'contain'\nbackground = 'white'\n[[step]]\n\
                    do = 'crop'\nbetween = [0.5, 1]\naspect = [0.75, 1.25]\nnever = ['sage', 'Bay \"x\"']\n[[step]]\n\
                    do = 'pick'\ncount = 2\n[[step.step]]\ndo = 'quarter-turn'\n[[step.step]]\ndo = 'grey'\n\
                    [[step]]\ndo = 'patch'\nbetween = [0, 0.1]\nfill = 'noise'\nchance = 0.25\n";
        let policy = Policy::parse(text).unwrap();
        assert_eq!(Policy::parse(&toml(&policy)).unwrap(), policy);
        assert!(wrapped(&"word ".repeat(60)).iter().all(|line| line.len() < 100));
    }
}
