//! What a page may run and load: a Content-Security-Policy that names its own script and style by their digests.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use sha2::{Digest, Sha256};

/// The source that lets exactly this text run.
fn source(text: &str) -> String {
    format!("'sha256-{}'", STANDARD.encode(Sha256::digest(text)))
}

/// The policy of a page with this style and, where it has one, script: besides these it may show images that it holds and
/// those on the disk.
pub fn source_of_page(style: &str, script: Option<&str>) -> String {
    let script = script.map_or(String::new(), |script| format!(" script-src {};", source(script)));
    format!(
        "default-src 'none'; img-src 'self' data: file:; style-src {};{script} base-uri 'none'; form-action 'none'",
        source(style)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_named_by_their_digests() {
        // FIPS 180-4: the digest of nothing.
        assert_eq!(source(""), "'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='");
        let with_script = source_of_page("p {}", Some("run()"));
        assert!(with_script.starts_with("default-src 'none'; "));
        assert!(with_script.contains(&format!("script-src {};", source("run()"))));
        assert!(with_script.contains(&format!("style-src {};", source("p {}"))));
        // A page without a script runs none.
        assert!(!source_of_page("p {}", None).contains("script-src"));
        assert!(!with_script.contains("unsafe") && !with_script.contains("http"));
    }
}
