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
        "drop files that give no image: cut, damaged, empty, or something else; decide on what could not be opened"
    Listed "listed" false
        "drop the files of --drop-list"
    Codes "codes" false
        "drop the files of findings with the codes of --drop-code"
    Classes "classes" false
        "drop classes that --classes does not name"
    Unplaced "unplaced" true
        "decide on images that lie in no class"
    Conflicts "conflicts" true
        "decide on copies of one image under several classes"
    Leaks "leaks" true
        "drop from train what is in validation or test too; never from a split of --protect"
    Copies "copies" true
        "drop duplicates, keeping the one chosen by --prefer; ask where confidence is below 0.95 or images are small"
    Bursts "bursts" false
        "keep the sharpest frames of one moment, as many as --bursts says"
    Spellings "spellings" true
        "put classes whose names are one into the commonest"
    Names "names" false
        "give classes the names of --rename-from"
    Floor "floor" false
        "drop, or merge, classes with fewer images than --min-images"
    Cap "cap" false
        "drop what a class has more than --cap, chosen by the seed and spread over folders, moments and groups"
    Extensions "extensions" true
        "rename files whose ending is that of another format"
    Orientation "orientation" false
        "store images upright that are so only by their EXIF orientation (PNG)"
    Formats "formats" false
        "store images of the formats of --convert as PNG"
}

impl Rule {
    /// The rule of this name.
    pub fn named(name: &str) -> Option<Rule> {
        Rule::ALL.iter().copied().find(|rule| rule.name() == name)
    }
}
