//! The limits that decide findings: one table, each with its default and the reason for it.

/// Every limit of the findings.
#[derive(Clone, Debug, PartialEq)]
pub struct FindingLimits {
    /// See [`LIMITS`].
    pub thin_class: f64,
    /// See [`LIMITS`].
    pub imbalance: f64,
}

/// One limit: how it is called, what it is, and why.
pub struct Limit {
    /// The name under which it can be set.
    pub name: &'static str,
    /// Its default.
    pub default: f64,
    /// What is counted.
    pub unit: &'static str,
    /// What happens beyond it, and why the default is what it is.
    pub why: &'static str,
    get: fn(&mut FindingLimits) -> &mut f64,
}

/// The table of all limits.
pub const LIMITS: [Limit; 2] = [
    Limit {
        name: "thin-class",
        default: 20.0,
        unit: "images",
        why: "a class with fewer images is thin: at the usual 15 % for testing, fewer than 20 \
              leave fewer than 3 pictures to test it on",
        get: |limits| &mut limits.thin_class,
    },
    Limit {
        name: "imbalance",
        default: 10.0,
        unit: "times",
        why: "the largest class has more than this many times the images of the smallest: beyond \
              10, a model that never answers the smaller of the two is still right more than 9 \
              times in 10 on both together",
        get: |limits| &mut limits.imbalance,
    },
];

impl Default for FindingLimits {
    fn default() -> Self {
        let mut limits = FindingLimits { thin_class: 0.0, imbalance: 0.0 };
        for limit in &LIMITS {
            *(limit.get)(&mut limits) = limit.default;
        }
        limits
    }
}

impl FindingLimits {
    /// Sets the limit called `name`; false when there is none of that name.
    pub fn set(&mut self, name: &str, value: f64) -> bool {
        let limit = LIMITS.iter().find(|limit| limit.name == name);
        if let Some(limit) = limit {
            *(limit.get)(self) = value;
        }
        limit.is_some()
    }

    /// The value of each limit, in the order of [`LIMITS`].
    pub fn values(&self) -> Vec<(&'static str, f64)> {
        let mut limits = self.clone();
        LIMITS.iter().map(|limit| (limit.name, *(limit.get)(&mut limits))).collect()
    }
}
