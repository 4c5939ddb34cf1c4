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
        "a class with fewer images is thin: at the usual 15% for testing, fewer than 3 images remain to test it, and 90% accuracy on 3 images is compatible with 36% to 99%"
    imbalance "imbalance" 10.0 "times" up to 1e9
        "the largest class has more than this many times the images of the smallest: beyond 10, a model that never predicts the smaller of the two is still right more than 9 times in 10 on both together"
    difference "difference" 0.1 "accuracy" up to 1.0
        "a held-out split should distinguish two models that differ by this much in accuracy: its 95% interval at 90% accuracy must not be wider. 10 points is the coarsest difference that anybody acts on"
    chance "chance" 0.01 "chance" up to 1.0
        "false-positive rate per collection, corrected for multiple tests: 1 in 100 clean collections is flagged"
    drift "drift" 0.1 "effect" up to 1.0
        "splits that differ by less are treated as equal: Cohen (1988) calls 0.1 a small effect"
    residual "departure" 0.5 "share" up to 1.0
        "a class has a format, size, camera, day, folder or lighting this much more often than the other classes: from half on, guessing the class from it alone is right half of the time"
    background "background" 0.75 "share" up to 1.0
        "a class is known by its background when at least this share of it, with 97.5% confidence, is recognised by the border of its images alone and as much by their mean colour, at 1% false alarms: a model then need not look at the content of three images in four"
    minority "minority" 0.01 "share" up to 1.0
        "an oddity shared by more images than this is typical of the collection, so it is reported once, as a note. With seven such checks, a healthy collection stays below 2% of images in warnings"
    outlier "outlier" 4.0 "deviations" up to 1e9
        "an image is an outlier when it is more deviations than this from the median, on a log scale: 1 in 15,000 under a normal distribution. One deviation is 1.4826 times the median absolute deviation (Hampel, 1974)"
    uniform "uniform" 0.9 "share" up to 1.0
        "images of other sizes are reported when at least this share has one size; below that, mixed sizes are typical of the collection"
    blank "blank" 3.0 "levels" up to 255.0
        "an image is blank when the standard deviation of each channel is below this and all pixels are within 8 levels of one colour: 3 of 256 levels is the noise of a covered lens"
    dark "dark" 0.1 "of white" up to 1.0
        "an image is too dark when its mean brightness is below this and it is an outlier: a tenth of white leaves 25 of 256 levels"
    contrast "contrast" 0.04 "of white" up to 1.0
        "an image is washed out when its contrast is below this and it is an outlier: 10 of 256 levels are hardly visible beside a full range"
    soft_focus "soft-focus" 0.5 "of median" up to 1.0
        "an image is out of focus when its sharpness is below this share of the collection's median and it is an outlier: an edge spread over two of 64 cells has half the sharpness of one within a single cell"
    tiny "tiny" 32.0 "pixels" up to 1e9
        "an image is a thumbnail when its shorter side is below this and below a quarter of the collection's median: common models take 224 pixels, and enlarged 7 times, no detail is left"
    aspect "aspect" 2.0 "times" up to 1e9
        "the aspect ratio of an image differs from its class by more than this factor and it is an outlier: resized to one shape, objects look twice as wide as they are"
    grey "grey" 0.02 "saturation" up to 1.0
        "an image is grey when its mean saturation is below this: 5 of 256 levels, the tint that compression leaves on grey"
    invented "invented" 0.05 "share" up to 1.0
        "a step is strong when it invents more of the frame than this on average, and harsh beyond three times as much: a twentieth is a border of 3 pixels around 224, which seldom belongs to the subject; beyond three twentieths, every seventh pixel is invented"
    hidden "hidden" 0.2 "share" up to 1.0
        "a step is strong when it hides more of the image than this, in addition to the framing, and harsh beyond three times as much: a fifth of a subject that fills the image is out of sight; beyond three fifths, more is hidden than shown"
    out_of_range "out-of-range" 0.1 "share" up to 1.0
        "a step is strong when it moves more of its draws than this out of the central 98% of the validation images in brightness, contrast, saturation, sharpness or warmth: one image in ten then looks like none of the validation images; by this alone it is never harsh, since what is unusual need not be wrong"
    clipped "clipped" 0.02 "share" up to 1.0
        "a step is strong when it clips more of the pixel values than this, and harsh beyond three times as much: clipped values cannot be recovered, and a fiftieth of them is a visible area"
    label_risk "label-risk" 0.05 "share" up to 1.0
        "a step is strong when it makes more of its draws than this look most like another class, and harsh beyond three times as much: each is a doubtful label, and at 95% accuracy one wrong label in twenty is the whole error budget"
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
