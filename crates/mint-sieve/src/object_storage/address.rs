//! Addresses: `s3://BUCKET/PREFIX`.

use sieve_core::objects::SCHEME;

/// A bucket, and where in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Address {
    /// The name of the bucket.
    pub bucket: String,
    /// How keys begin; not a path, and taken as it is.
    pub prefix: String,
}

impl Address {
    /// Reads an address.
    ///
    /// # Errors
    ///
    /// Where it is none, as the end of a sentence.
    pub fn parse(text: &str) -> Result<Self, String> {
        let rest = text.strip_prefix(SCHEME).ok_or("expected s3://BUCKET/PREFIX")?;
        let (bucket, prefix) = rest.split_once('/').unwrap_or((rest, ""));
        // Bucket names are parts of host names and of paths: https://docs.aws.amazon.com/AmazonS3/latest/userguide/bucketnamingrules.html
        let is_letter = |c: char| c.is_ascii_lowercase() || c.is_ascii_digit() || "-.".contains(c);
        let is_name = (3..=63).contains(&bucket.len())
            && bucket.chars().all(is_letter)
            && !bucket.starts_with(['-', '.'])
            && !bucket.ends_with(['-', '.'])
            && !bucket.contains("..");
        if !is_name {
            return Err(format!(
                "{bucket:?} is not a bucket name; expected 3 to 63 lower-case letters, digits, hyphens and dots"
            ));
        }
        Ok(Address { bucket: bucket.to_owned(), prefix: prefix.to_owned() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn prefixes_are_taken_as_they_are_and_buckets_are_checked() {
        let address = |text: &str| Address::parse(text).map(|a| (a.bucket, a.prefix));
        let of = |bucket: &str, prefix: &str| Ok((bucket.to_owned(), prefix.to_owned()));
        assert_eq!(address("s3://shed"), of("shed", ""));
        assert_eq!(address("s3://shed.2/a//../b "), of("shed.2", "a//../b "));
        for wrong in ["s3://", "s3:///a", "s3://Shed/a", "s3://a..b/c", "s3://-ab", "s3://a@evil/b"]
        {
            assert!(address(wrong).is_err(), "{wrong}");
        }
    }
}
