//! Who asks: keys from the environment or the profile file, or from the machine itself where that is wanted.
//!
//! Keys are never printed, logged or stored; what is shown of an error names none.

use std::collections::HashMap;
use std::fmt;
use std::path::PathBuf;
use std::sync::Arc;

use object_store::aws::{AmazonS3Builder, AwsCredential, AwsCredentialProvider};
use sieve_core::bounded_read::{MOST_SETTINGS_BYTES, read_text};

use super::Access;

/// Who requests are made for.
pub enum Identity {
    /// Nobody: they are not signed.
    Anonymous,
    /// Whoever has this key.
    Key(Arc<AwsCredential>),
    /// The machine, which has a key for a while.
    Instance(AwsCredentialProvider),
}

impl fmt::Debug for Identity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Identity::Anonymous => "Anonymous",
            Identity::Key(_) => "Key",
            Identity::Instance(_) => "Instance",
        })
    }
}

impl Identity {
    /// Finds out who asks.
    ///
    /// # Errors
    ///
    /// Where nothing says it, as the end of a sentence.
    pub fn find(access: &Access) -> Result<Self, String> {
        if access.anonymous {
            return Ok(Identity::Anonymous);
        }
        if let (Some(key_id), Some(secret_key)) =
            (variable("AWS_ACCESS_KEY_ID"), variable("AWS_SECRET_ACCESS_KEY"))
        {
            let token = variable("AWS_SESSION_TOKEN");
            return Ok(Identity::Key(Arc::new(AwsCredential { key_id, secret_key, token })));
        }
        if let Some(credential) = of_profile_file()? {
            return Ok(Identity::Key(Arc::new(credential)));
        }
        if access.instance_credentials {
            let store = AmazonS3Builder::new().with_bucket_name("any").build();
            let store = store.map_err(|_| "this machine offers no credentials".to_owned())?;
            return Ok(Identity::Instance(Arc::clone(store.credentials())));
        }
        Err("no credentials were found in AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY or in a profile; \
             --anonymous reads public buckets, --instance-credentials asks the machine"
            .to_owned())
    }

    /// The key of this moment; none where requests are not signed.
    pub fn credential(&self) -> Result<Option<Arc<AwsCredential>>, String> {
        match self {
            Identity::Anonymous => Ok(None),
            Identity::Key(credential) => Ok(Some(Arc::clone(credential))),
            Identity::Instance(provider) => {
                let failed = "this machine offers no credentials".to_owned();
                let runtime = tokio::runtime::Builder::new_current_thread().enable_all().build();
                let runtime = runtime.map_err(|error| error.to_string())?;
                runtime.block_on(provider.get_credential()).map(Some).map_err(|_| failed)
            }
        }
    }
}

/// A variable of the environment that is set to something.
pub fn variable(name: &str) -> Option<String> {
    std::env::var(name).ok().filter(|value| !value.is_empty())
}

/// The key of the profile that is named, or of the one called default; none where there is no such file.
fn of_profile_file() -> Result<Option<AwsCredential>, String> {
    let named = variable("AWS_SHARED_CREDENTIALS_FILE").map(PathBuf::from);
    let usual = || Some(etcetera::home_dir().ok()?.join(".aws/credentials"));
    let Some(file) = named.or_else(usual).filter(|file| file.is_file()) else { return Ok(None) };
    let text = read_text(&file, MOST_SETTINGS_BYTES)
        .map_err(|why| format!("the profiles in {} cannot be read: {why}", file.display()))?;
    let wanted = variable("AWS_PROFILE");
    let profile = profile(&text, wanted.as_deref().unwrap_or("default"));
    match (profile, wanted) {
        (None, Some(name)) => Err(format!("{} has no profile {name:?} with a key", file.display())),
        (profile, _) => Ok(profile),
    }
}

/// The key of a profile in a file of such.
fn profile(text: &str, wanted: &str) -> Option<AwsCredential> {
    let mut is_in = false;
    let mut values: HashMap<&str, &str> = HashMap::new();
    for line in text.lines().map(str::trim) {
        if let Some(name) = line.strip_prefix('[').and_then(|line| line.strip_suffix(']')) {
            is_in = name.trim() == wanted;
        } else if let Some((name, value)) = line.split_once('=').filter(|_| is_in) {
            values.insert(name.trim(), value.trim());
        }
    }
    let owned = |name: &str| values.get(name).map(|&value| value.to_owned());
    Some(AwsCredential {
        key_id: owned("aws_access_key_id")?,
        secret_key: owned("aws_secret_access_key")?,
        token: owned("aws_session_token"),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_profile_is_found_by_name_and_shows_no_key() {
        let text = "# keys of the shed\n[default]\naws_access_key_id = AAA\naws_secret_access_key=BBB\n\n\
                    [drying]\n aws_access_key_id=CCC\naws_secret_access_key = D=D\naws_session_token=EEE\n[empty]\n";
        let drying = profile(text, "drying").unwrap();
        assert_eq!(drying.key_id, "CCC");
        assert_eq!((drying.secret_key.as_str(), drying.token.as_deref()), ("D=D", Some("EEE")));
        assert_eq!(profile(text, "default").unwrap().token, None);
        assert!(profile(text, "empty").is_none() && profile(text, "none").is_none());
        let shown = format!("{:?}", Identity::Key(Arc::new(drying)));
        assert_eq!(shown, "Key");
    }
}
