//! Policies: what may happen to a picture, how often and how strongly.

use serde::Deserialize;

use super::frame::{Fit, Frame};
use super::steps::{self, Axis, Definition, Setting, Takes};
use crate::nearest;

/// An augmentation policy, checked.
#[derive(Clone, Debug, PartialEq)]
pub struct Policy {
    /// The picture that the model sees.
    pub frame: Frame,
    /// What fills the frame where the picture does not reach.
    pub fill: Fill,
    /// What may happen, in this order.
    pub steps: Vec<Step>,
}

/// What fills the frame where the picture does not reach.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fill {
    /// The picture mirrored at its edges: `dcba|abcd|dcba`.
    Mirror,
    /// The pixel at the edge: `aaaa|abcd|dddd`.
    Edge,
    /// The picture again: `abcd|abcd|abcd`.
    Wrap,
    /// A colour: red, green, blue.
    Colour([u8; 3]),
}

/// One step of a policy.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Step {
    /// What is done.
    pub definition: &'static Definition,
    /// Within which bounds.
    pub setting: Setting,
    /// How often: 0 never, 1 always.
    pub chance: f64,
}

/// What is wrong with the text of a policy.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PolicyError {
    /// It is no TOML, or has the wrong fields.
    #[error("{0}")]
    Form(String),
    /// A value cannot be.
    #[error("{place}: {problem}")]
    Value {
        /// Where: a table and key.
        place: String,
        /// What is wrong, and what was expected.
        problem: String,
    },
}

/// The greatest side of a frame in pixels: beyond it, a mistake is more likely than a model.
const MAX_SIDE_PX: u32 = 4096;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct Text {
    #[serde(default)]
    frame: FrameText,
    #[serde(default)]
    outside: OutsideText,
    #[serde(default)]
    step: Vec<StepText>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, default)]
struct FrameText {
    size: [u32; 2],
    fit: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields, default)]
struct OutsideText {
    fill: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
struct StepText {
    r#do: String,
    between: Option<[f64; 2]>,
    axis: Option<String>,
    chance: Option<f64>,
}

impl Default for FrameText {
    /// 224 x 224 covered: the size that most published image classifiers were trained at.
    fn default() -> Self {
        FrameText { size: [224, 224], fit: "cover".into() }
    }
}

impl Default for OutsideText {
    /// Mirrored pixels keep the statistics of the picture; a colour is a thing that is not there.
    fn default() -> Self {
        OutsideText { fill: "mirror".into() }
    }
}

impl Policy {
    /// Reads the TOML of a policy.
    ///
    /// ```
    /// # use sieve_core::augment::Policy;
    /// let policy = Policy::parse("[[step]]\ndo = 'rotate'\nbetween = [-10, 10]").unwrap();
    /// assert_eq!(policy.steps[0].chance, 1.0);
    /// let error = Policy::parse("[[step]]\ndo = 'rotat'\nbetween = [-10, 10]").unwrap_err();
    /// assert!(error.to_string().contains("Did you mean \"rotate\"?"));
    /// ```
    ///
    /// # Errors
    ///
    /// Says where the text is wrong and what was expected.
    pub fn parse(text: &str) -> Result<Self, PolicyError> {
        let text: Text = toml::from_str(text)
            .map_err(|error| PolicyError::Form(error.to_string().trim_end().to_owned()))?;
        let steps = text.step.iter().enumerate();
        Ok(Policy {
            frame: frame(&text.frame)?,
            fill: fill(&text.outside.fill)?,
            steps: steps.map(|(index, text)| step(index, text)).collect::<Result<_, _>>()?,
        })
    }
}

fn wrong(place: impl Into<String>, problem: impl Into<String>) -> PolicyError {
    PolicyError::Value { place: place.into(), problem: problem.into() }
}

/// The error for a word that is none of `known`.
fn unknown(place: &str, word: &str, known: &[&str]) -> PolicyError {
    let mut problem = format!("{word:?} is unknown; expected {}", known.join(", "));
    if let Some(near) = nearest::word(word, known.iter().copied()) {
        problem.push_str(&format!(". Did you mean {near:?}?"));
    }
    wrong(place, problem)
}

fn frame(text: &FrameText) -> Result<Frame, PolicyError> {
    let [width_px, height_px] = text.size;
    if [width_px, height_px].iter().any(|side| !(1..=MAX_SIDE_PX).contains(side)) {
        let problem = format!("{width_px} x {height_px}; expected sides from 1 to {MAX_SIDE_PX}");
        return Err(wrong("[frame] size", problem));
    }
    let fit = match text.fit.as_str() {
        "cover" => Fit::Cover,
        "contain" => Fit::Contain,
        "stretch" => Fit::Stretch,
        other => return Err(unknown("[frame] fit", other, &["cover", "contain", "stretch"])),
    };
    Ok(Frame { width_px, height_px, fit })
}

fn fill(text: &str) -> Result<Fill, PolicyError> {
    match text {
        "mirror" => Ok(Fill::Mirror),
        "edge" => Ok(Fill::Edge),
        "wrap" => Ok(Fill::Wrap),
        _ => colour(text).map(Fill::Colour).ok_or_else(|| {
            unknown(
                "[outside] fill",
                text,
                &["mirror", "edge", "wrap", "a colour like \"#808080\""],
            )
        }),
    }
}

/// The colour of `#rrggbb` or one of CSS's basic names.
fn colour(text: &str) -> Option<[u8; 3]> {
    match text {
        "black" => return Some([0; 3]),
        "white" => return Some([255; 3]),
        "grey" | "gray" => return Some([128; 3]),
        _ => {}
    }
    let digits = text.strip_prefix('#').filter(|digits| digits.len() == 6)?;
    let digits = digits.chars().map(|digit| digit.to_digit(16)).collect::<Option<Vec<u32>>>()?;
    Some([0, 2, 4].map(|at| (digits[at] * 16 + digits[at + 1]) as u8))
}

fn step(index: usize, text: &StepText) -> Result<Step, PolicyError> {
    let place = |key: &str| format!("step {} ({}) {key}", index + 1, text.r#do);
    let chance = text.chance.unwrap_or(1.0);
    if !(0.0..=1.0).contains(&chance) {
        return Err(wrong(place("chance"), format!("{chance} is not a chance; expected 0 to 1")));
    }
    let definition = Definition::named(&text.r#do).ok_or_else(|| {
        let names = steps::ALL.map(|step| step.name);
        unknown(&format!("step {}: do", index + 1), &text.r#do, &names)
    })?;
    let setting = match definition.takes {
        Takes::Range { .. } if text.axis.is_some() => {
            return Err(wrong(place("axis"), "only flip has one"));
        }
        Takes::Range { unit, least, most } => {
            let [from, to] = text.between.ok_or_else(|| {
                let problem = format!("is missing; expected [lowest, highest] in {}", unit.name());
                wrong(place("between"), problem)
            })?;
            if from > to {
                return Err(wrong(place("between"), format!("[{from}, {to}] runs backwards")));
            }
            // Written so that a NaN is refused as well.
            if !(from >= least && to <= most) {
                let problem =
                    format!("[{from}, {to}]; expected {least} to {most} ({})", unit.name());
                return Err(wrong(place("between"), problem));
            }
            Setting::Range(from, to)
        }
        Takes::Axis if text.between.is_some() => {
            let problem = format!("a {} has none; expected axis and chance", definition.name);
            return Err(wrong(place("between"), problem));
        }
        Takes::Axis => {
            let names = Axis::ALL.map(Axis::name);
            let word = text.axis.as_deref().ok_or_else(|| {
                wrong(place("axis"), format!("is missing; expected {}", names.join(" or ")))
            })?;
            let known = Axis::ALL.into_iter().find(|axis| axis.name() == word);
            Setting::Axis(known.ok_or_else(|| unknown(&place("axis"), word, &names))?)
        }
    };
    Ok(Step { definition, setting, chance })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_example_policies_are_sound() {
        for text in [
            include_str!("../../../../policies/gentle.toml"),
            include_str!("../../../../policies/harsh.toml"),
        ] {
            assert!(!Policy::parse(text).unwrap().steps.is_empty());
        }
        let empty = Policy::parse("").unwrap();
        assert_eq!(empty.frame, Frame { width_px: 224, height_px: 224, fit: Fit::Cover });
        assert_eq!(empty.fill, Fill::Mirror);
    }

    #[test]
    fn what_is_wrong_is_named_with_its_place() {
        let message = |text: &str| Policy::parse(text).unwrap_err().to_string();
        let step = |text: &str| message(&format!("[[step]]\ndo = {text}"));
        assert_eq!(
            step("'rotate'\nbetween = [20, -20]"),
            "step 1 (rotate) between: [20, -20] runs backwards"
        );
        assert_eq!(
            step("'zoom'\nbetween = [0.0, 1]"),
            "step 1 (zoom) between: [0, 1]; expected 0.1 to 10 (factor)"
        );
        assert_eq!(
            step("'zoom'\nbetween = [nan, 1]"),
            "step 1 (zoom) between: [NaN, 1]; expected 0.1 to 10 (factor)"
        );
        assert_eq!(
            step("'shift'"),
            "step 1 (shift) between: is missing; expected [lowest, highest] in shares of width and \
             height"
        );
        assert_eq!(
            step("'flip'\naxis = 'leftright'"),
            "step 1 (flip) axis: \"leftright\" is unknown; expected left-right, top-bottom. \
             Did you mean \"left-right\"?"
        );
        assert_eq!(
            step("'flip'\naxis = 'left-right'\nchance = 1.5"),
            "step 1 (flip) chance: 1.5 is not a chance; expected 0 to 1"
        );
        assert_eq!(step("'rotate'\naxis = 'x'"), "step 1 (rotate) axis: only flip has one");
        assert_eq!(
            message("[frame]\nsize = [0, 9]"),
            "[frame] size: 0 x 9; expected sides from 1 to 4096"
        );
        assert!(message("[outside]\nfill = '#12345'").starts_with("[outside] fill: \"#12345\""));
        assert!(
            message("[[step]]\ndo = 'zoom'\nbetwen = [1, 2]").contains("unknown field `betwen`")
        );
    }
}
