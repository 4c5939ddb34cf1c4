//! Reading a policy from TOML: every complaint names the line, the key, what was expected, and the nearest right word.

use toml::Spanned;
use toml::de::{DeTable, DeValue};

use super::frame::{Colours, Fit, Frame, MAX_SIDE_PX, Sampling};
use super::policy::{Classes, Fill, Pick, Policy, Step};
use super::steps::{self, Amount, Choice, Definition, Range, Second, Setting, Unit, Word};
use crate::bounded_read::echoed;
use crate::suggest;

/// What is wrong with the text of a policy.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum PolicyError {
    /// It is no TOML.
    #[error("{0}")]
    Form(String),
    /// A key or value cannot be.
    #[error("line {line}, {place}: {problem}")]
    Value {
        /// Its line in the text, from 1.
        line: usize,
        /// Where: a table and key.
        place: String,
        /// What is wrong, and what was expected.
        problem: String,
    },
}

/// Steps of a policy, those of picks included: no image survives as many, and each draw costs as much as there are.
const MAX_STEPS: usize = 100;
/// The dial's end: beyond twice what was meant, a policy is another one.
const MAX_STRENGTH: f64 = 2.0;

type Result<T> = std::result::Result<T, PolicyError>;
type Value<'a> = Spanned<DeValue<'a>>;

impl Policy {
    /// Reads the TOML of a policy.
    ///
    /// ```
    /// # use sieve_core::augment::Policy;
    /// let policy = Policy::parse("[[step]]\ndo = 'rotate'\nbetween = [-10, 10]").unwrap();
    /// assert_eq!(policy.steps[0].chance, 1.0);
    /// let error = Policy::parse("[[step]]\ndo = 'rotat'\nbetween = [-10, 10]").unwrap_err();
    /// assert!(error.to_string().ends_with("did you mean rotate?"));
    /// ```
    ///
    /// # Errors
    ///
    /// Says where the text is wrong and what was expected.
    pub fn parse(text: &str) -> Result<Self> {
        let parsed = DeTable::parse(text).map_err(|error| PolicyError::Form(form(text, &error)))?;
        let top = Table { text, name: String::new(), start: 0, entries: parsed.get_ref() };
        top.knows(&["strength", "frame", "outside", "step"])?;
        let strength = top.number("strength", 0.0, MAX_STRENGTH)?.unwrap_or(1.0);
        let frame = top.table("frame")?.map_or_else(|| Ok(usual_frame()), |table| frame(&table))?;
        let fill = match top.table("outside")? {
            Some(table) => {
                table.knows(&["fill"])?;
                table.get("fill").map(|value| table.fill("fill", value)).transpose()?
            }
            None => None,
        };
        let mut policy = Policy {
            frame,
            // Mirrored pixels keep the statistics of the image; a colour is a thing that is not there.
            fill: fill.unwrap_or(Fill::Mirror),
            strength,
            steps: Vec::new(),
            picks: Vec::new(),
        };
        for (index, table) in top.tables("step", "step ")?.iter().enumerate() {
            match table.word("do")? {
                Some("pick") => pick(table, &mut policy, &format!("{}.", index + 1))?,
                _ => policy.steps.push(step(table, None)?),
            }
            if policy.steps.len() > MAX_STEPS {
                let problem = format!("too many steps; a policy has at most {MAX_STEPS}");
                return Err(table.wrong("do", problem));
            }
        }
        Ok(policy)
    }
}

/// What is wrong with a text that is no TOML, and in which line.
fn form(text: &str, error: &toml::de::Error) -> String {
    let at = error.span().map_or(0, |span| span.start.min(text.len()));
    let before = &text.as_bytes()[..at];
    let line = before.iter().filter(|&&byte| byte == b'\n').count();
    let written = echoed(text.lines().nth(line).unwrap_or_default().trim());
    let problem = echoed(&error.message().replace('\n', ", "));
    format!("line {}: {problem}: {written}", line + 1)
}

/// 224 x 224 covered: the size that most published image classifiers were trained at.
fn usual_frame() -> Frame {
    Frame::new(224, 224, Fit::Cover)
}

fn frame(table: &Table<'_>) -> Result<Frame> {
    table.knows(&["size", "fit", "background", "colour", "sampling"])?;
    let mut frame = usual_frame();
    if let Some(value) = table.get("size") {
        let expected = || {
            format!("expected [width, height] or one side, whole numbers from 1 to {MAX_SIDE_PX}")
        };
        let sides = match value.get_ref() {
            DeValue::Array(_) => numbers(value).filter(|numbers| numbers.len() == 2),
            _ => number(value).map(|side| vec![side; 2]),
        };
        let numbers = sides.ok_or_else(|| table.wrong_value("size", value, expected()))?;
        let is_side =
            |side: &f64| side.fract() == 0.0 && (1.0..=f64::from(MAX_SIDE_PX)).contains(side);
        if !numbers.iter().all(is_side) {
            return Err(table.wrong_value("size", value, expected()));
        }
        (frame.width_px, frame.height_px) = (numbers[0] as u32, numbers[1] as u32);
    }
    let fits = Fit::ALL.map(|fit| (fit.name(), fit));
    frame.fit = table.one_of("fit", &fits)?.unwrap_or(frame.fit);
    let colours = [("rgb", Colours::Rgb), ("grey", Colours::Grey)];
    frame.colours = table.one_of("colour", &colours)?.unwrap_or_default();
    let samplings = [("bilinear", Sampling::Bilinear), ("cubic", Sampling::Cubic)];
    frame.sampling = table.one_of("sampling", &samplings)?.unwrap_or_default();
    if let Some(value) = table.get("background") {
        let colour = value.get_ref().as_str().and_then(colour);
        let expected = || format!("expected {COLOURS}");
        frame.background =
            Some(colour.ok_or_else(|| table.wrong_value("background", value, expected()))?);
        if frame.fit != Fit::Contain {
            let problem = "only a frame with fit = \"contain\" has one".to_owned();
            return Err(table.wrong("background", problem));
        }
    }
    Ok(frame)
}

fn pick(table: &Table<'_>, policy: &mut Policy, prefix: &str) -> Result<()> {
    table.knows(&["do", "count", "chance", "step"])?;
    let chance = table.number("chance", 0.0, 1.0)?.unwrap_or(1.0);
    let nested = table.tables("step", &format!("step {prefix}"))?;
    let of = nested.len();
    if of == 0 {
        let problem = "is missing; expected [[step.step]] tables to pick from".to_owned();
        return Err(table.wrong("step", problem));
    }
    let count = table.number("count", 1.0, of as f64)?.unwrap_or(1.0);
    if count.fract() != 0.0 {
        return Err(
            table.wrong("count", format!("{count}; expected a whole number from 1 to {of}"))
        );
    }
    let index = policy.picks.len();
    policy.picks.push(Pick { count: count as usize, of, chance });
    for table in &nested {
        policy.steps.push(step(table, Some(index))?);
    }
    Ok(())
}

fn step(table: &Table<'_>, pick: Option<usize>) -> Result<Step> {
    let name = table.word("do")?.ok_or_else(|| {
        table.wrong("do", "is missing; expected the name of a step, such as rotate".to_owned())
    })?;
    let mut names: Vec<&str> = steps::ALL.iter().map(|step| step.name).collect();
    if pick.is_none() {
        names.push("pick");
    }
    let definition =
        Definition::named(name).ok_or_else(|| table.wrong("do", unknown(name, &names)))?;
    let table = &Table { name: format!("{} ({name})", table.name), ..*table };
    let mut known = vec!["do", "chance", "never", "only"];
    known.extend(definition.range.iter().flat_map(|_| ["between", "values"]));
    known.extend(definition.second.map(|second| second.name));
    known.extend(definition.word.map(|word| word.name));
    table.knows(&known)?;
    Ok(Step {
        definition,
        setting: Setting {
            amount: definition.range.map_or(Ok(Amount::Nothing), |range| amount(table, range))?,
            second: definition.second.map(|wanted| second(table, wanted)).transpose()?,
            word: definition.word.map(|choice| word(table, choice)).transpose()?,
        },
        chance: table.number("chance", 0.0, 1.0)?.unwrap_or(1.0),
        classes: classes(table)?,
        pick,
    })
}

fn classes(table: &Table<'_>) -> Result<Classes> {
    let names = |key: &str| {
        let Some(value) = table.get(key) else { return Ok(None) };
        let names: Option<Vec<String>> = value.get_ref().as_array().and_then(|array| {
            array.iter().map(|name| Some(name.get_ref().as_str()?.to_owned())).collect()
        });
        let expected = || "expected a list of class names".to_owned();
        names.map(Some).ok_or_else(|| table.wrong_value(key, value, expected()))
    };
    match (names("never")?, names("only")?) {
        (Some(_), Some(_)) => Err(table.wrong("only", "cannot be combined with never".to_owned())),
        (Some(never), None) => Ok(Classes::Never(never)),
        (None, Some(only)) => Ok(Classes::Only(only)),
        (None, None) => Ok(Classes::All),
    }
}

fn amount(table: &Table<'_>, range: Range) -> Result<Amount> {
    if let Some(value) = table.get("values") {
        if table.get("between").is_some() {
            return Err(table.wrong("values", "cannot be combined with between".to_owned()));
        }
        let expected = || format!("expected a list of numbers ({})", range.unit.name());
        let numbers = numbers(value).filter(|numbers| !numbers.is_empty());
        let numbers = numbers.ok_or_else(|| table.wrong_value("values", value, expected()))?;
        within(table, "values", value, &numbers, range)?;
        return Ok(Amount::Values(numbers));
    }
    if let Some(value) = table.get("between") {
        if range.unit == Unit::QuarterTurns {
            return Err(
                table.wrong("between", "takes values instead, such as [90, 270]".to_owned())
            );
        }
        let (from, to) = ends(table, "between", value, range)?;
        return Ok(Amount::Between(from, to));
    }
    range.usual.map(|values| Amount::Values(values.to_vec())).ok_or_else(|| {
        let unit = range.unit.name();
        table.wrong("between", format!("is missing; expected [lowest, highest] in {unit}"))
    })
}

fn second(table: &Table<'_>, second: Second) -> Result<(f64, f64)> {
    match (table.get(second.name), second.range.usual) {
        (Some(value), _) => ends(table, second.name, value, second.range),
        (None, Some(&[from, to])) => Ok((from, to)),
        (None, _) => {
            Err(table.wrong(second.name, "is missing; expected [lowest, highest]".to_owned()))
        }
    }
}

/// The two ends of a range, in order and within bounds.
fn ends(table: &Table<'_>, key: &str, value: &Value<'_>, range: Range) -> Result<(f64, f64)> {
    let expected = || format!("expected [lowest, highest] in {}", range.unit.name());
    let numbers = numbers(value).filter(|numbers| numbers.len() == 2);
    let numbers = numbers.ok_or_else(|| table.wrong_value(key, value, expected()))?;
    let (from, to) = (numbers[0], numbers[1]);
    if from > to {
        return Err(table.wrong(key, format!("[{from}, {to}] runs backwards")));
    }
    within(table, key, value, &numbers, range)?;
    Ok((from, to))
}

fn within(
    table: &Table<'_>,
    key: &str,
    value: &Value<'_>,
    numbers: &[f64],
    range: Range,
) -> Result<()> {
    let Range { unit, least, most, .. } = range;
    // Written so that a NaN is refused as well.
    let is_within = |number: &f64| *number >= least && *number <= most;
    let is_whole = |number: &f64| unit != Unit::QuarterTurns || number % 90.0 == 0.0;
    if numbers.iter().all(|number| is_within(number) && is_whole(number)) {
        return Ok(());
    }
    Err(table.wrong_value(key, value, format!("expected {least} to {most} ({})", unit.name())))
}

fn word(table: &Table<'_>, choice: Choice) -> Result<Word> {
    let Some(value) = table.get(choice.name) else {
        return choice.usual.map(Word::Known).ok_or_else(|| {
            table.wrong(choice.name, format!("is missing; expected {}", choice.known.join(" or ")))
        });
    };
    let text = value.get_ref().as_str().unwrap_or_default();
    if let Some(known) = choice.known.iter().find(|known| **known == text) {
        return Ok(Word::Known(known));
    }
    if let Some(colour) = colour(text).filter(|_| choice.takes_colour) {
        return Ok(Word::Colour(colour));
    }
    let mut known = choice.known.to_vec();
    known.extend(choice.takes_colour.then_some(COLOURS));
    Err(table.wrong(choice.name, unknown(text, &known)))
}

/// What colours look like.
const COLOURS: &str = "a colour like \"#808080\"";

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

/// What to say of a word that is none of `known`.
fn unknown(word: &str, known: &[&str]) -> String {
    format!("{:?} is unknown; {}", echoed(word), suggest::expected(word, known))
}

fn number(value: &Value<'_>) -> Option<f64> {
    match value.get_ref() {
        DeValue::Integer(number) => {
            i64::from_str_radix(number.as_str(), number.radix()).ok().map(|n| n as f64)
        }
        DeValue::Float(number) => number.as_str().parse().ok(),
        _ => None,
    }
}

fn numbers(value: &Value<'_>) -> Option<Vec<f64>> {
    value.get_ref().as_array()?.iter().map(number).collect()
}

/// A table of the text, under the name by which complaints call it.
#[derive(Clone)]
struct Table<'a> {
    text: &'a str,
    name: String,
    /// Where it begins, for what is missing.
    start: usize,
    entries: &'a DeTable<'a>,
}

impl<'a> Table<'a> {
    fn get(&self, key: &str) -> Option<&'a Value<'a>> {
        self.entries.get(key)
    }

    /// The error for what is wrong with a key.
    fn wrong(&self, key: &str, problem: String) -> PolicyError {
        let place = if self.name.is_empty() {
            echoed(key)
        } else {
            format!("{} {}", self.name, echoed(key))
        };
        let at = self.entries.iter().find(|(name, _)| name.get_ref() == key);
        let at = at.map_or(self.start, |(name, _)| name.span().start);
        let line = self.text[..at].matches('\n').count() + 1;
        PolicyError::Value { line, place, problem }
    }

    /// The same with what stands there.
    fn wrong_value(&self, key: &str, value: &Value<'_>, expected: String) -> PolicyError {
        let written = echoed(self.text.get(value.span()).unwrap_or_default());
        self.wrong(key, format!("{written}; {expected}"))
    }

    fn knows(&self, known: &[&str]) -> Result<()> {
        match self.entries.keys().find(|key| !known.contains(&key.get_ref().as_ref())) {
            None => Ok(()),
            Some(key) => {
                let key = key.get_ref();
                let problem = format!("is unknown here; {}", suggest::expected(key, known));
                Err(self.wrong(key, problem))
            }
        }
    }

    fn number(&self, key: &str, least: f64, most: f64) -> Result<Option<f64>> {
        let Some(value) = self.get(key) else { return Ok(None) };
        let found = number(value).filter(|number| (least..=most).contains(number));
        let expected = || format!("expected a number from {least} to {most}");
        found.map(Some).ok_or_else(|| self.wrong_value(key, value, expected()))
    }

    fn word(&self, key: &str) -> Result<Option<&'a str>> {
        let Some(value) = self.get(key) else { return Ok(None) };
        let expected = || "expected a word in quotes".to_owned();
        value.get_ref().as_str().map(Some).ok_or_else(|| self.wrong_value(key, value, expected()))
    }

    fn one_of<T: Copy>(&self, key: &str, known: &[(&str, T)]) -> Result<Option<T>> {
        let Some(word) = self.word(key)? else { return Ok(None) };
        let found = known.iter().find(|(name, _)| *name == word);
        let names: Vec<&str> = known.iter().map(|(name, _)| *name).collect();
        found.map(|(_, value)| Some(*value)).ok_or_else(|| self.wrong(key, unknown(word, &names)))
    }

    fn fill(&self, key: &str, value: &Value<'_>) -> Result<Fill> {
        let text = value.get_ref().as_str().unwrap_or_default();
        match text {
            "mirror" => Ok(Fill::Mirror),
            "edge" => Ok(Fill::Edge),
            "wrap" => Ok(Fill::Wrap),
            _ => colour(text).map(Fill::Colour).ok_or_else(|| {
                self.wrong(key, unknown(text, &["mirror", "edge", "wrap", COLOURS]))
            }),
        }
    }

    fn table(&self, key: &str) -> Result<Option<Table<'a>>> {
        let Some(value) = self.get(key) else { return Ok(None) };
        match value.get_ref().as_table() {
            Some(entries) => Ok(Some(Table {
                text: self.text,
                name: format!("[{key}]"),
                start: value.span().start,
                entries,
            })),
            None => Err(self.wrong_value(key, value, format!("expected a table, [{key}]"))),
        }
    }

    /// The tables of an array of them, called `name` and their number.
    fn tables(&self, key: &str, name: &str) -> Result<Vec<Table<'a>>> {
        let Some(value) = self.get(key) else { return Ok(Vec::new()) };
        let expected = || format!("expected tables, [[{key}]]");
        let wrong = || self.wrong_value(key, value, expected());
        let array = value.get_ref().as_array().ok_or_else(wrong)?;
        let tables = array.iter().enumerate().map(|(index, value)| {
            let entries = value.get_ref().as_table().ok_or_else(wrong)?;
            let name = format!("{name}{}", index + 1);
            Ok(Table { text: self.text, name, start: value.span().start, entries })
        });
        tables.collect()
    }
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
        assert_eq!((empty.frame, empty.fill, empty.strength), (usual_frame(), Fill::Mirror, 1.0));
        let text = "strength = 1.5\n[frame]\nsize = [64, 48]\nfit = 'contain'\nbackground = 'white'\n\
                    colour = 'grey'\nsampling = 'cubic'\n[[step]]\ndo = 'pick'\ncount = 2\nchance = 0.5\n\
                    [[step.step]]\ndo = 'blur'\nvalues = [0.5, 1]\n[[step.step]]\ndo = 'grey'\n\
                    [[step.step]]\ndo = 'patch'\nbetween = [0.1, 0.2]\nfill = '#102030'\nnever = ['sage']\n";
        let policy = Policy::parse(text).unwrap();
        assert_eq!(policy.frame.background, Some([255; 3]));
        assert_eq!(policy.picks, [Pick { count: 2, of: 3, chance: 0.5 }]);
        assert!((policy.chance_of(1) - 1.0 / 3.0).abs() < 1e-12);
        assert_eq!(policy.steps[0].setting.amount, Amount::Values(vec![0.5, 1.0]));
        assert_eq!(policy.steps[2].setting.word, Some(Word::Colour([16, 32, 48])));
        assert_eq!(policy.steps[2].setting.second, Some((1.0, 1.0)));
        assert!(
            !policy.steps[2].classes.includes("sage") && policy.steps[2].classes.includes("bay")
        );
    }

    #[test]
    fn what_is_wrong_is_named_with_its_line_and_place() {
        let message = |text: &str| Policy::parse(text).unwrap_err().to_string();
        let step = |text: &str| message(&format!("[[step]]\ndo = {text}"));
        for (said, expected) in [
            (
                step("'rotate'\nbetween = [20, -20]"),
                "line 3, step 1 (rotate) between: [20, -20] runs backwards",
            ),
            (
                step("'zoom'\nbetween = [0.0, 1]"),
                "line 3, step 1 (zoom) between: [0.0, 1]; expected 0.1 to 10 (factor)",
            ),
            (
                step("'zoom'\nbetween = [nan, 1]"),
                "line 3, step 1 (zoom) between: [nan, 1]; expected 0.1 to 10 (factor)",
            ),
            (
                step("'shift'"),
                "line 1, step 1 (shift) between: is missing; expected [lowest, highest] in shares of width and height",
            ),
            (
                step("'flip'\naxis = 'leftright'"),
                "line 3, step 1 (flip) axis: \"leftright\" is unknown; expected left-right or top-bottom; did you mean left-right?",
            ),
            (
                step("'flip'\naxis = 'left-right'\nchance = 1.5"),
                "line 4, step 1 (flip) chance: 1.5; expected a number from 0 to 1",
            ),
            (
                step("'rotate'\naxis = 'x'"),
                "line 3, step 1 (rotate) axis: is unknown here; expected do, chance, never, only, between or values",
            ),
            (
                step("'quarter-turn'\nvalues = [45]"),
                "line 3, step 1 (quarter-turn) values: [45]; expected 0 to 270 (multiples of 90 degrees)",
            ),
            (
                step("'grey'\nnever = 'a'"),
                "line 3, step 1 (grey) never: 'a'; expected a list of class names",
            ),
            (
                step("'pick'\ncount = 3\n[[step.step]]\ndo = 'grey'"),
                "line 3, step 1 count: 3; expected a number from 1 to 1",
            ),
            (
                step("'pick'\n[[step.step]]\ndo = 'grai'"),
                "line 4, step 1.1 do: \"grai\" is unknown",
            ),
            (
                message("[frame]\nsize = [0, 9]"),
                "line 2, [frame] size: [0, 9]; expected [width, height] or one side, whole numbers from 1 to 4096",
            ),
            (
                message("[frame]\n\nbackground = 'white'"),
                "line 3, [frame] background: only a frame with fit = \"contain\" has one",
            ),
            (
                message("[outside]\nfill = '#12345'"),
                "line 2, [outside] fill: \"#12345\" is unknown",
            ),
            (
                message("strenght = 1"),
                "line 1, strenght: is unknown here; expected strength, frame, outside or step; did you mean strength?",
            ),
            (
                message("[[step]]\ndo = 'zoom'\nbetwen = [1, 2]"),
                "line 3, step 1 (zoom) betwen: is unknown here; expected do, chance, never, only, between or values; did you mean between?",
            ),
        ] {
            assert!(said.starts_with(expected), "{said}\n{expected}");
        }
        assert!(message("strength = 1\n[frame\n").starts_with("line 2: "));
        assert!(!message("strength = 1\n[frame\n").contains('\n'));
        // What somebody wrote is not repeated at any length.
        for text in [
            format!("strength = {}", "[".repeat(20_000)),
            format!("strength = '{}'", "a".repeat(900_000)),
            format!("[[step]]\ndo = '{}'", "a".repeat(900_000)),
            format!("{} = 1", "a".repeat(900_000)),
            format!("[frame]\nsize = [{}]", "1,".repeat(90_000)),
        ] {
            let said = message(&text);
            assert!(said.chars().count() < 700, "{said}");
        }
        let steps = |count: usize| "[[step]]\ndo = 'grey'\n".repeat(count);
        assert_eq!(Policy::parse(&steps(MAX_STEPS)).unwrap().steps.len(), MAX_STEPS);
        assert!(message(&steps(MAX_STEPS + 1)).contains("at most 100"));
    }
}
