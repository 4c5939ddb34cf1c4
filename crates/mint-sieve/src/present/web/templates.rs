//! Filling a page from its template and the parts that pages share.

use minijinja::Environment;
use minijinja::value::Serde;
use serde::Serialize;

use crate::failure::Failure;

/// The parts that pages share, by the names that templates call them by.
const PARTS: [(&str, &str); 3] = [
    ("blocks.html", include_str!("blocks.html")),
    ("filter.html", include_str!("filter.html")),
    ("decisions.html", include_str!("decisions.html")),
];

/// A page filled from `template`. Values are escaped wherever they stand, unless the template says that they are ours.
pub fn filled(template: &str, values: impl Serialize) -> Result<String, Failure> {
    let broken =
        |error: minijinja::Error| Failure::output(format!("the page cannot be made: {error}"));
    let mut environment = Environment::new();
    for (name, part) in PARTS {
        environment.add_template(name, part).map_err(broken)?;
    }
    environment.add_template("page.html", template).map_err(broken)?;
    let page = environment.get_template("page.html").map_err(broken)?;
    page.render(Serde(values)).map_err(broken)
}

#[cfg(test)]
pub mod tests {
    use super::super::{DECISIONS_SCRIPT, DECISIONS_STYLE, LOOK};
    use super::*;

    /// What a template shows without escaping.
    pub fn unescaped(template: &str) -> Vec<&str> {
        let parts: Vec<&str> = template.split("|safe }}").collect();
        let names = parts[..parts.len() - 1].iter();
        names.map(|part| part.rsplit("{{ ").next().unwrap()).collect()
    }

    #[test]
    fn parts_are_sound_and_show_nothing_unescaped_but_ours() {
        assert!(!DECISIONS_SCRIPT.contains("</script"));
        assert!(!DECISIONS_STYLE.contains("</style") && !LOOK.contains("</style"));
        let raw: Vec<Vec<&str>> = PARTS.iter().map(|(_, part)| unescaped(part)).collect();
        // The data was escaped before.
        assert_eq!(raw, [vec![], vec![], vec!["data", "thumbnails", "script"]]);
        filled("{% include 'filter.html' %}{{ name }}", [("name", "<b>")]).unwrap();
        #[derive(serde::Serialize)]
        struct Name {
            name: &'static str,
        }
        assert_eq!(filled("{{ name }}", Name { name: "<b>" }).unwrap(), "&lt;b&gt;");
    }
}
