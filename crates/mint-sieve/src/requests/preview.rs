//! What `preview` shows and measures.

use std::path::{Path, PathBuf};

use crate::args::PreviewArgs;

/// What `preview` shows and measures.
#[derive(Clone, Debug)]
pub struct PreviewRequest {
    /// The policies, files or names of examples; the first is the one that is measured and graded first.
    pub policies: Vec<PathBuf>,
    /// The file of the sheet; none if it is only shown, or not painted.
    pub out: Option<PathBuf>,
    /// The step of a ladder, or `strength`.
    pub ladder: Option<String>,
    /// Whether only the framing is shown.
    pub is_frame_only: bool,
    /// The folder of augmented copies.
    pub to: Option<PathBuf>,
    /// The factor on the strength of the policies, from 0 to 2.
    pub strength: Option<f64>,
    /// Draws of each image; none for as many as fit.
    pub draws: Option<u32>,
    /// The seed of the sample and of the draws.
    pub seed: u64,
    /// Whether processor time is measured.
    pub measures_time: bool,
    /// Whether nothing is measured.
    pub is_sheet_only: bool,
    /// The split whose images are shown.
    pub split: Option<String>,
    /// Images of each class; none for as many as fit.
    pub per_class: Option<u32>,
    /// The classes that are shown; none for all.
    pub classes: Vec<String>,
    /// Width and height of the sheet in pixels.
    pub size_px: (u32, u32),
    /// Whether frames are drawn at full size.
    pub is_full_size: bool,
}

/// Width and height of a sheet in pixels, unless others are asked for: a page on most screens.
pub const USUAL_SHEET_PX: (u32, u32) = (1280, 800);

impl PreviewRequest {
    /// A sheet of one policy, measured, with everything else as it usually is.
    pub fn of(policy: &Path, seed: u64) -> Self {
        PreviewRequest {
            policies: vec![policy.to_owned()],
            out: None,
            ladder: None,
            is_frame_only: false,
            to: None,
            strength: None,
            draws: None,
            seed,
            measures_time: false,
            is_sheet_only: false,
            split: None,
            per_class: None,
            classes: Vec::new(),
            size_px: USUAL_SHEET_PX,
            is_full_size: false,
        }
    }
}

impl From<&PreviewArgs> for PreviewRequest {
    fn from(args: &PreviewArgs) -> Self {
        PreviewRequest {
            policies: std::iter::once(&args.policy).chain(&args.against).cloned().collect(),
            out: args.out.clone(),
            ladder: args.ladder.clone(),
            is_frame_only: args.frame_only,
            to: args.to.clone(),
            strength: args.strength,
            draws: args.draws,
            seed: args.seed,
            measures_time: args.cost,
            is_sheet_only: args.sheet_only,
            split: args.split.clone(),
            per_class: args.per_class,
            classes: args.classes.clone(),
            size_px: args.size,
            is_full_size: args.full_size,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::args::{Cli, Command};

    #[test]
    fn what_another_command_asks_for_is_what_the_shortest_call_asks_for() {
        let words = ["mint-sieve", "preview", "herbs", "--policy", "gentle", "--seed", "3"];
        let Command::Preview(args) = Cli::parse_from(words).unwrap().command else {
            panic!("another command");
        };
        let typed = PreviewRequest::from(&*args);
        let usual = PreviewRequest::of(Path::new("gentle"), 3);
        assert_eq!(format!("{typed:?}"), format!("{usual:?}"));
        let words = [&words[..], &["--against", "harsh", "--draws", "4"]].concat();
        let Command::Preview(args) = Cli::parse_from(words).unwrap().command else {
            panic!("another command");
        };
        let both = PreviewRequest::from(&*args);
        assert_eq!(both.policies, ["gentle", "harsh"].map(PathBuf::from));
        assert_eq!(both.draws, Some(4));
    }
}
