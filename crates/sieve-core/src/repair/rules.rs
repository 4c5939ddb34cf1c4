//! The rules that propose repairs, each with a name.

macro_rules! rules {
    ($($variant:ident $name:literal $is_usual:literal $does:literal)*) => {
        /// What proposes a repair.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
        #[allow(missing_docs)] // what they do stands beside them
        pub enum Rule { $($variant),* }

        impl Rule {
            /// Every rule, in the order in which they are applied: what one drops the next no longer sees.
            pub const ALL: &'static [Rule] = &[$(Rule::$variant),*];

            /// Its name.
            pub fn name(self) -> &'static str {
                match self { $(Rule::$variant => $name),* }
            }

            /// What it proposes.
            pub fn does(self) -> &'static str {
                match self { $(Rule::$variant => $does),* }
            }

            /// Whether it applies where nobody chose rules. The others wait for their wish.
            pub fn is_usual(self) -> bool {
                match self { $(Rule::$variant => $is_usual),* }
            }
        }
    };
}

rules! {
    Unreadable "unreadable" true
        "drop files that contain no image: truncated, damaged, empty, or of another type; ask about files that could not be opened"
    Listed "listed" false
        "drop the files listed by --drop-list"
    Codes "codes" false
        "drop the files of findings selected by --drop-code"
    Classes "classes" false
        "drop classes that --classes does not list"
    Unplaced "unplaced" true
        "ask about images that are in no class"
    Conflicts "conflicts" true
        "ask about copies of one image under several classes"
    Leaks "leaks" true
        "drop training images that also appear in validation or test; never from a split named by --protect"
    Copies "copies" true
        "drop duplicates, keeping the one chosen by --prefer; ask where confidence is below 0.95 or images are small"
    Bursts "bursts" false
        "keep the --bursts sharpest frames of each burst"
    Spellings "spellings" true
        "merge class names that differ only in spelling into the most common one"
    Names "names" false
        "rename classes by the table of --rename-from"
    Floor "floor" false
        "drop, or merge, classes with fewer images than --min-images"
    Cap "cap" false
        "cap each class at --cap images, sampled by seed across folders, bursts and groups"
    Extensions "extensions" true
        "rename files whose extension belongs to another format"
    Orientation "orientation" false
        "rotate images that rely on their EXIF orientation tag, and save them as PNG"
    Formats "formats" false
        "convert images of the formats named by --convert to PNG"
}

impl Rule {
    /// The rule of this name.
    pub fn named(name: &str) -> Option<Rule> {
        Rule::ALL.iter().copied().find(|rule| rule.name() == name)
    }
}
