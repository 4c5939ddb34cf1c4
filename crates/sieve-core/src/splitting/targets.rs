//! How many images of each class each part should have: exact shares, not whole numbers.

use super::parts::{Amount, Parts, UNIT};
use super::request::Per;

/// What is asked for and cannot be had.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum SplitError {
    /// Parts are to get more images than there are.
    #[error("{parts} request {asked} images; there are {images}")]
    TooMany {
        /// The parts, as they were typed.
        parts: String,
        /// What they ask for.
        asked: u64,
        /// What there is.
        images: u64,
    },
    /// A subset is to have more images than there are.
    #[error("the subset of {asked} images is larger than the {images} available")]
    SubsetTooLarge {
        /// What is asked for.
        asked: u64,
        /// What there is.
        images: u64,
    },
    /// A subset is to have more images of each class than one of them has.
    #[error("the subset requests {asked} images per class; {class:?} has {images}")]
    SubsetClassTooSmall {
        /// What is asked for.
        asked: u64,
        /// The class that has the fewest.
        class: String,
        /// What it has.
        images: u64,
    },
    /// The same, of a class.
    #[error("{parts} request {asked} images per class; {class:?} has {images}")]
    ClassTooSmall {
        /// The parts, as they were typed.
        parts: String,
        /// What they ask for.
        asked: u64,
        /// The class that has the fewest.
        class: String,
        /// What it has.
        images: u64,
    },
    /// A part that is locked is none of the parts.
    #[error("{0} cannot be locked: it is not a part of this split")]
    LockedUnknown(String),
    /// Parts are locked, but there is no earlier split that fills them.
    #[error("locking a part requires an earlier split to continue (--keep)")]
    NothingToLock,
    /// Every part is locked.
    #[error("every part is locked, so no image can be placed")]
    AllLocked,
    /// An earlier split has a part that this one has not.
    #[error("the earlier split has the part {0}, which is missing here")]
    EarlierPart(String),
    /// None of an earlier split's images is in the collection.
    #[error("none of the {0} images of the earlier split is in the collection: no digest matches")]
    EarlierUnknown(usize),
    /// A pattern that should say what stays together matches nothing.
    #[error("the pattern {0} matches no image")]
    PatternUnmatched(String),
}

/// For each class, and for all of them, the images that each part should have.
pub struct Targets {
    pub classes: Vec<Vec<f64>>,
    pub all: Vec<f64>,
}

/// What `parts` should get of classes with these names and sizes, of which `kept` gives what is in each part already and
/// stays there, for parts that keep what they have.
pub fn targets(
    parts: &Parts,
    per: Per,
    classes: &[(&str, u64)],
    kept: &[Vec<u64>],
) -> Result<Targets, SplitError> {
    let is_kept = |part: usize| parts.amounts()[part] == Amount::Kept;
    let free: Vec<(&str, u64)> = classes
        .iter()
        .zip(kept)
        .map(|(&(class, images), kept)| {
            let here = (0..parts.len()).filter(|&part| is_kept(part)).map(|part| kept[part]);
            (class, images - here.sum::<u64>())
        })
        .collect();
    let mut targets = free_targets(parts, per, &free)?;
    for part in (0..parts.len()).filter(|&part| is_kept(part)) {
        for (target, kept) in targets.classes.iter_mut().zip(kept) {
            target[part] = kept[part] as f64;
        }
        targets.all[part] = kept.iter().map(|kept| kept[part]).sum::<u64>() as f64;
    }
    Ok(targets)
}

/// The same of what is free to go anywhere.
fn free_targets(parts: &Parts, per: Per, classes: &[(&str, u64)]) -> Result<Targets, SplitError> {
    let images: u64 = classes.iter().map(|(_, images)| images).sum();
    let of = |images: u64| amounts(parts.amounts(), images);
    let asked: u64 = parts.amounts().iter().map(counted).sum();
    let typed = || {
        let counted = parts.names().iter().zip(parts.amounts());
        let counted = counted.filter(|(_, amount)| counted_is(amount));
        counted.map(|(name, amount)| format!("{name}={amount}")).collect::<Vec<_>>().join(" and ")
    };
    match per {
        Per::All => {
            if asked > images {
                return Err(SplitError::TooMany { parts: typed(), asked, images });
            }
            let all = of(images);
            let share = |class: u64| -> Vec<f64> {
                all.iter().map(|total| total * class as f64 / images.max(1) as f64).collect()
            };
            Ok(Targets { classes: classes.iter().map(|&(_, class)| share(class)).collect(), all })
        }
        Per::Class => {
            if let Some(&(class, images)) = classes.iter().min_by_key(|(_, images)| *images)
                && asked > images
            {
                let class = class.to_owned();
                return Err(SplitError::ClassTooSmall { parts: typed(), asked, class, images });
            }
            let classes: Vec<Vec<f64>> = classes.iter().map(|&(_, images)| of(images)).collect();
            let total = |part: usize| classes.iter().map(|class| class[part]).sum();
            let all = (0..parts.len()).map(total).collect();
            Ok(Targets { classes, all })
        }
    }
}

fn counted(amount: &Amount) -> u64 {
    match amount {
        Amount::Images(images) => *images,
        _ => 0,
    }
}

fn counted_is(amount: &Amount) -> bool {
    matches!(amount, Amount::Images(_))
}

/// The amounts of `images` images; the rest is what the others leave.
fn amounts(amounts: &[Amount], images: u64) -> Vec<f64> {
    let known = |amount: &Amount| match amount {
        Amount::Share(share) => Some(*share as f64 / UNIT as f64 * images as f64),
        Amount::Images(images) => Some(*images as f64),
        Amount::Kept => Some(0.0),
        Amount::Rest => None,
    };
    let taken: f64 = amounts.iter().filter_map(known).sum();
    let rest = (images as f64 - taken).max(0.0);
    let all: Vec<f64> = amounts.iter().map(|amount| known(amount).unwrap_or(rest)).collect();
    // Where counts and shares together ask for too much all give way alike.
    let sum: f64 = all.iter().sum();
    if sum > 0.0 { all.iter().map(|one| one / sum * images as f64).collect() } else { all }
}
