//! The limits that decide findings: one table, each with its default and the reason for it.

macro_rules! limits {
    ($($field:ident $name:literal $default:literal $unit:literal up to $most:literal $why:literal)*) => {
        /// Every limit of the findings; [`LIMITS`] says what each is for.
        #[derive(Clone, Debug, PartialEq)]
        #[allow(missing_docs)] // the table says it
        pub struct FindingLimits { $(pub $field: f64),* }

        impl Default for FindingLimits {
            fn default() -> Self {
                FindingLimits { $($field: $default),* }
            }
        }

        /// The table of all limits.
        pub const LIMITS: &[Limit] = &[$(Limit {
            name: $name,
            default: $default,
            unit: $unit,
            most: $most,
            why: $why,
            get: |limits| &mut limits.$field,
        }),*];
    };
}

/// One limit: how it is called, what it is, and why.
pub struct Limit {
    /// The name under which it can be set.
    pub name: &'static str,
    /// Its default.
    pub default: f64,
    /// What is counted.
    pub unit: &'static str,
    /// The greatest value that means anything; the least is 0.
    pub most: f64,
    /// What happens beyond it, and why the default is what it is.
    pub why: &'static str,
    get: fn(&mut FindingLimits) -> &mut f64,
}

limits! {
    thin_class "thin-class" 20.0 "images" up to 1e9
        "a class with fewer is thin: at the usual 15% for testing fewer than 3 pictures are left to \
         test it on, and 90% right on 3 pictures means anything from 36% to 99%"
    imbalance "imbalance" 10.0 "times" up to 1e9
        "the largest class has more than this many times the images of the smallest: beyond 10, a \
         model that never answers the smaller of the two is still right more than 9 times in 10 on \
         both together"
    difference "difference" 0.1 "accuracy" up to 1.0
        "a held-out split should tell two models apart that differ by this much in accuracy; its 95 % \
         interval at 90 % must not be wider. 10 points are the coarsest difference that anybody acts on"
    chance "chance" 0.01 "chance" up to 1.0
        "what happens by chance more often is not told as a difference; corrected for the number of \
         questions, so that one clean collection in a hundred is wrongly complained of"
    drift "drift" 0.1 "effect" up to 1.0
        "splits that differ by less are alike for all that matters: Cohen (1988) calls 0.1 a small \
         effect"
    residual "departure" 0.5 "share" up to 1.0
        "a class has a format, size, camera, day, folder or light this much more often than the others: \
         from half on, guessing the class by it beats looking at the picture half of the time"
    minority "minority" 0.01 "share" up to 1.0
        "what is odd about a larger share of the pictures is how the collection is, and is told once, \
         as a note; a single picture never is. With seven such questions, a healthy collection stays \
         below 2% in warnings"
    outlier "outlier" 4.0 "deviations" up to 1e9
        "pictures are odd when they are farther from the median, on a scale of ratios: 1 in 15,000 \
         would be by chance in a bell curve. Deviations are 1.4826 times the median distance from the \
         median (Hampel, 1974)"
    uniform "uniform" 0.9 "share" up to 1.0
        "where at least this share of the pictures has one size, the others are told: below that, many \
         sizes are how the collection is"
    blank "blank" 3.0 "levels" up to 255.0
        "standard deviation of each channel below which a picture may be of one flat colour, if all of \
         it is within 8 levels of that colour: 3 of 256 levels are the noise of a covered lens"
    dark "dark" 0.1 "of white" up to 1.0
        "mean brightness of a picture below which it may be too dark, if it is an outlier too: a \
         tenth of white is where 8 bits leave 25 levels"
    contrast "contrast" 0.04 "of white" up to 1.0
        "contrast below which a picture may be washed out, if it is an outlier too: 10 of 256 levels \
         are hardly seen beside a full range"
    soft_focus "soft-focus" 0.5 "of median" up to 1.0
        "sharpness below this share of the collection's median may be soft focus, if it is an outlier \
         too: an edge over two cells of 64 has half the sharpness of one over a single cell"
    tiny "tiny" 32.0 "pixels" up to 1e9
        "a picture whose shorter side is below this, and below a quarter of the collection's median, is \
         a thumbnail: common models take 224 pixels, and 7 times blown up nothing is left to see"
    aspect "aspect" 2.0 "times" up to 1e9
        "a picture is this much longer or shorter than its class, if it is an outlier too: squeezed \
         into one shape, things look twice as wide as they are"
    grey "grey" 0.02 "saturation" up to 1.0
        "mean saturation below which a picture counts as grey: 5 of 256 levels, the tint that \
         compression leaves on grey"
    invented "invented" 0.05 "share" up to 1.0
        "a step of a policy is strong when it makes up more of the frame than this, in the mean of its draws, and harsh \
         beyond three times as much: a twentieth is a border of 3 pixels around 224, which is seldom part of the thing; \
         beyond three twentieths every seventh pixel is made up"
    hidden "hidden" 0.2 "share" up to 1.0
        "a step is strong when it hides more of the picture than this, beside what the frame cuts off, and harsh beyond \
         three times as much: a fifth of what fills the picture is out of sight; beyond three fifths more is hidden \
         than shown"
    out_of_range "out-of-range" 0.1 "share" up to 1.0
        "a step is strong when it moves more of its draws than this out of the middle 98% of validation in brightness, \
         contrast, saturation, sharpness or warmth, and harsh beyond three times as much: one picture in ten is then of \
         a kind that validation does not show"
    clipped "clipped" 0.02 "share" up to 1.0
        "a step is strong when it turns more of the values than this newly black or white, and harsh beyond three times \
         as much: nothing brings such values back, and a fiftieth of them is an area that is seen"
    label_risk "label-risk" 0.05 "share" up to 1.0
        "a step is strong when it makes more of its draws than this look most like another class, and harsh beyond three \
         times as much: each is an image under a doubtful label, and a model of 95% has no room for one in twenty"
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
