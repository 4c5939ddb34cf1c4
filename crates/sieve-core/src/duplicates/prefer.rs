//! What speaks for one of several copies.

macro_rules! preferences {
    ($($variant:ident $name:literal $reason:literal $doc:literal)*) => {
        /// What speaks for one of several copies.
        #[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Serialize, serde::Deserialize)]
        pub enum Prefer { $(#[doc = $doc] $variant),* }

        impl Prefer {
            /// In the usual order.
            pub const ALL: &'static [Prefer] = &[$(Prefer::$variant),*];

            /// As it is typed.
            pub fn name(self) -> &'static str {
                match self { $(Prefer::$variant => $name),* }
            }

            /// What an image that it speaks for has, to continue after "which".
            pub fn reason(self) -> &'static str {
                match self { $(Prefer::$variant => $reason),* }
            }
        }
    };
}

preferences! {
    Original "original" "is the original of the others"
        "The others can be derived from it exactly, or it differs least from what the copies have in common: the others are tilted, cropped, bordered, stretched, marked or recoloured."
    Pixels "pixels" "has the most pixels"
        "It has the most pixels, not counting borders."
    Bytes "bytes" "is the least compressed"
        "It is the least compressed: it has the most bytes."
    Camera "camera" "has camera metadata"
        "It still has its camera metadata, which copies made by editors often lose."
    Oldest "oldest" "is the oldest file"
        "Its file is the oldest."
    Name "name" "has the plainest name"
        "Its name is the plainest: it differs from its neighbours' only in the number, or is the shortest."
}
