//! Where policies come from: a file, or the examples that are built in.

use std::path::Path;

use sieve_core::augment::Policy;
use sieve_core::{bounded_read, suggest};

use crate::failure::Failure;

/// The policies that come with the program, by name.
pub const EXAMPLES: [(&str, &str); 2] = [
    ("gentle", include_str!("../../../policies/gentle.toml")),
    ("harsh", include_str!("../../../policies/harsh.toml")),
];

/// A policy and what to call it.
#[derive(Clone, Debug)]
pub struct NamedPolicy {
    /// The name of its file, or of the example.
    pub name: String,
    /// The policy.
    pub policy: Policy,
}

/// Reads the policy in a file, or the example of that name where there is no such file.
pub fn read(path: &Path) -> Result<NamedPolicy, Failure> {
    let name = path.to_string_lossy();
    let example = EXAMPLES.iter().find(|(known, _)| *known == name && !path.exists());
    let (name, text) =
        match example {
            Some((name, text)) => ((*name).to_owned(), (*text).to_owned()),
            None => {
                let text = bounded_read::read_text(path, bounded_read::MOST_SETTINGS_BYTES)
                    .map_err(|reason| {
                        let failure =
                            Failure::input(format!("cannot read the policy {name}: {reason}"));
                        match suggest::word(&name, EXAMPLES.map(|(name, _)| name)) {
                    Some(near) => failure.hint(format!("Did you mean {near}, a built-in example?")),
                    None => failure.hint(
                        "Expected a TOML file, or one of the built-in examples: gentle, harsh.",
                    ),
                }
                    })?;
                let name = path.file_name().unwrap_or(path.as_os_str());
                (name.to_string_lossy().into_owned(), text)
            }
        };
    let policy = Policy::parse(&text)
        .map_err(|error| Failure::call(format!("the policy {}: {error}", path.display())))?;
    Ok(NamedPolicy { name, policy })
}
