//! Which files the collection has, and which faults are planted where.

use std::collections::BTreeSet;

use rand::{RngExt, SeedableRng};
use rand_chacha::ChaCha8Rng;

use super::file::{Content, Edit, Photo, Storage};
use crate::encode::Exif;
use crate::faults::{Fault, Planted};
use crate::paint::{Herb, Leaf, Material, Shot, Subject, Tray};

/// How the folders are arranged.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Arrangement {
    /// `class/picture`, with every kind of fault.
    Classes,
    /// `split/class/picture`, with leaks between the splits.
    Splits,
}

/// The files of a collection and what is wrong with them.
#[derive(Debug)]
pub struct Plan {
    /// Folders to make, relative to the root; among them the one that stays empty.
    pub folders: BTreeSet<String>,
    /// Files by path, `/` between the parts.
    pub files: Vec<(String, Content)>,
    /// What is wrong, sorted by path.
    pub planted: Vec<Planted>,
}

/// Leaves photographed of each herb. Copies and other faults come on top: with them nettle has 130
/// images and dill 9.
const LEAVES: [(Herb, usize); 6] = [
    (Herb::Spearmint, 62),
    (Herb::Sage, 60),
    (Herb::Thyme, 57),
    (Herb::Dill, 9),
    (Herb::Bay, 49),
    (Herb::Nettle, 123),
];

const TEXT_PAGE: &[u8] = b"Rack 4, upper trays: turned on Tuesday, still damp at the stalks.\n\
    Rack 5: ready for sorting. The pictures of this rack are on the other card.\n";

/// What file browsers of one system leave in folders begins like this.
const THUMBNAIL_STORE: &[u8] = b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1 thumbnails of a file browser";

/// Plans the collection of `seed`.
pub fn plan(arrangement: Arrangement, seed: u64) -> Plan {
    let mut builder = PlanBuilder {
        rng: ChaCha8Rng::seed_from_u64(seed),
        minutes: 8 * 60,
        plan: Plan { folders: BTreeSet::new(), files: Vec::new(), planted: Vec::new() },
    };
    match arrangement {
        Arrangement::Classes => builder.classes(),
        Arrangement::Splits => builder.splits(),
    }
    let mut plan = builder.plan;
    plan.files.sort_by(|a, b| a.0.cmp(&b.0));
    plan.planted.sort();
    plan
}

struct PlanBuilder {
    rng: ChaCha8Rng,
    /// The shed's clock, in minutes since midnight of the first day.
    minutes: u32,
    plan: Plan,
}

impl PlanBuilder {
    fn classes(&mut self) {
        for (herb, count) in LEAVES {
            for number in 1..=count {
                let photo = self.leaf(herb);
                let path =
                    format!("{0}/{0}-{number:03}.{1}", herb.name(), photo.storage.extension());
                self.add(path, Content::Photo(photo));
            }
        }
        self.copies();
        self.broken_files();
        self.class_faults();
        self.poor_pictures();
    }

    /// The same images, again.
    fn copies(&mut self) {
        use Fault::*;
        let photo = self.photo("spearmint/spearmint-011.jpg");
        self.plant(
            "spearmint/spearmint-011 (1).jpg",
            Content::Photo(photo),
            SameBytes,
            "spearmint/spearmint-011.jpg",
            "copied within the folder",
        );
        let photo = self.photo("nettle/nettle-020.jpg");
        for name in ["nettle/nettle-020 copy.jpg", "nettle/tray-7.jpg"] {
            self.plant(
                name,
                Content::Photo(photo.clone()),
                SameBytes,
                "nettle/nettle-020.jpg",
                "one of three",
            );
        }
        let photo = self.photo("spearmint/spearmint-024.jpg");
        self.plant(
            "nettle/nettle-125.jpg",
            Content::Photo(photo),
            LabelConflict,
            "spearmint/spearmint-024.jpg",
            "a spearmint leaf, filed under both",
        );

        let mut photo = self.photo("thyme/thyme-009.jpg");
        photo.storage = Storage::Png;
        self.replace("thyme/thyme-009.jpg", "thyme/thyme-009.png", Content::Photo(photo.clone()));
        photo.storage = Storage::WebP;
        self.plant(
            "thyme/thyme-009-export.webp",
            Content::Photo(photo),
            SamePixels,
            "thyme/thyme-009.png",
            "the same pixels as lossless WebP",
        );
        let photo = self.photo("nettle/nettle-033.jpg");
        self.plant(
            "nettle/nettle-033-tagged.jpg",
            Content::Commented(photo, "rack 3, tray 2"),
            SamePixels,
            "nettle/nettle-033.jpg",
            "the same picture with a comment inside",
        );

        let edited = |photo: Box<Photo>, edit| {
            let storage = photo.storage;
            Box::new(photo.saved_again(edit, storage))
        };
        let photo = self.photo("spearmint/spearmint-030.jpg");
        let photo = Box::new(photo.saved_again(Edit::None, Storage::Jpeg(40.0)));
        self.plant(
            "spearmint/spearmint-030-mail.jpg",
            Content::Photo(photo),
            Resaved,
            "spearmint/spearmint-030.jpg",
            "saved again at quality 40",
        );
        self.enlarge("sage/sage-014.jpg");
        let photo = edited(self.photo("sage/sage-014.jpg"), Edit::Resize(0.6));
        self.plant(
            "sage/sage-014-small.jpg",
            Content::Photo(photo),
            Resized,
            "sage/sage-014.jpg",
            "scaled to 60% of its sides",
        );
        self.enlarge("bay/bay-022.jpg");
        let photo = edited(self.photo("bay/bay-022.jpg"), Edit::Crop(0.9487, (0.85, 0.2)));
        self.plant(
            "bay/bay-022-crop.jpg",
            Content::Photo(photo),
            Cropped,
            "bay/bay-022.jpg",
            "10% of the area cut away",
        );
        let photo = edited(self.photo("thyme/thyme-031.jpg"), Edit::Mirror);
        self.plant(
            "thyme/thyme-031-flip.jpg",
            Content::Photo(photo),
            Mirrored,
            "thyme/thyme-031.jpg",
            "left and right exchanged",
        );
        let mut photo = self.photo("nettle/nettle-044.jpg");
        photo.exif.orientation = 6;
        self.plant(
            "nettle/nettle-044-turned.jpg",
            Content::Photo(photo),
            Turned,
            "nettle/nettle-044.jpg",
            "the same stored picture under EXIF orientation 6",
        );

        for (number, photo) in (50..).zip(self.burst(Herb::Bay)) {
            let path = format!("bay/bay-{number:03}.jpg");
            self.plant(
                &path,
                Content::Photo(Box::new(photo)),
                Burst,
                "bay/bay-050.jpg",
                "five frames of one leaf within three seconds",
            );
        }
    }

    /// Files that are no good images, or not where they should be.
    fn broken_files(&mut self) {
        use Fault::*;
        let mut photo = self.leaf(Herb::Thyme);
        photo.storage = Storage::Jpeg(82.0);
        self.plant(
            "thyme/thyme-058.jpg",
            Content::Cut(photo, 0.6),
            Truncated,
            "",
            "only 60% of the file",
        );
        let mut photo = self.leaf(Herb::Nettle);
        photo.storage = Storage::ProgressiveJpeg(82.0);
        self.plant(
            "nettle/nettle-126.jpg",
            Content::Cut(photo, 0.95),
            Truncated,
            "",
            "a progressive JPEG that lacks its last 5%: it shows, but coarse",
        );
        self.plant("sage/sage-061.jpg", Content::Bytes(b""), EmptyFile, "", "0 bytes");
        self.plant("bay/bay-notes.jpg", Content::Bytes(TEXT_PAGE), NotAnImage, "", "a text page");
        let mut photo = self.photo("thyme/thyme-040.jpg");
        photo.storage = Storage::Png;
        self.replace("thyme/thyme-040.jpg", "thyme/thyme-040.jpg", Content::Photo(photo));
        self.note("thyme/thyme-040.jpg", WrongExtension, "", "a PNG");
        self.plant(
            "nettle/Thumbs.db",
            Content::Bytes(THUMBNAIL_STORE),
            StrayFile,
            "",
            "left by a file browser",
        );
        let photo = self.leaf(Herb::Spearmint);
        let path = format!("unsorted-001.{}", photo.storage.extension());
        self.plant(
            &path,
            Content::Photo(photo),
            OutsideClass,
            "",
            "a spearmint leaf that nobody sorted",
        );
    }

    fn class_faults(&mut self) {
        use Fault::*;
        self.plan.folders.insert("lovage".into());
        self.note("lovage", EmptyClass, "", "a folder made for a herb that was never photographed");
        for number in 1..=3 {
            let photo = self.leaf(Herb::Bay);
            let path = format!("Bay /bay-{number:03}.{}", photo.storage.extension());
            self.add(path, Content::Photo(photo));
        }
        self.note("Bay ", ClassNamesAlike, "bay", "capital letter and a space at the end");
        self.note("Bay ", ThinClass, "", "3 pictures");
        self.note("dill", ThinClass, "", "9 pictures");
        self.note(
            "nettle",
            ClassImbalance,
            "Bay ",
            "130 pictures against 3, and against 9 of dill",
        );
        self.note("sage", Shortcut, "", "every picture is on the blue tray, and no other class is");
    }

    fn poor_pictures(&mut self) {
        use Fault::*;
        let (cup, card) = (Subject::cup(&mut self.rng), Subject::card(&mut self.rng));
        for (path, subject, note) in [
            ("spearmint/spearmint-063.jpg", cup, "a cup"),
            ("thyme/thyme-060.jpg", card, "a label card"),
            ("bay/bay-055.jpg", Subject::Nothing, "an empty tray"),
        ] {
            let mut photo = self.common(subject);
            photo.storage = Storage::Jpeg(82.0);
            self.plant(path, Content::Photo(photo), UnlikeClass, "", note);
        }
        for (path, herb, fault, note) in [
            ("nettle/nettle-127.jpg", Herb::Nettle, Dark, "the lamp was off"),
            ("thyme/thyme-061.jpg", Herb::Thyme, Dark, "the lamp was off"),
            ("spearmint/spearmint-064.jpg", Herb::Spearmint, WashedOut, "steam on the lens"),
            ("nettle/nettle-128.jpg", Herb::Nettle, WashedOut, "steam on the lens"),
            ("bay/bay-056.jpg", Herb::Bay, Blurred, "out of focus"),
            ("sage/sage-062.jpg", Herb::Sage, Blurred, "out of focus"),
        ] {
            let mut photo = self.leaf(herb);
            photo.storage = Storage::Jpeg(82.0);
            let camera = &mut photo.shot.camera;
            match fault {
                Dark => camera.exposure = 0.16,
                WashedOut => (camera.exposure, camera.contrast) = (1.2, 0.2),
                _ => camera.blur = photo.shot.size.1 / 30,
            }
            self.plant(path, Content::Photo(photo), fault, "", note);
        }
    }

    fn splits(&mut self) {
        for (herb, count) in LEAVES {
            for number in 1..=count {
                let photo = self.leaf(herb);
                // Every class is in every split: of each twenty, three are validation, three test.
                let split = match number % 20 {
                    3 | 9 | 16 => "validation",
                    6 | 12 | 19 => "test",
                    _ => "train",
                };
                let path = format!(
                    "{split}/{0}/{0}-{number:03}.{1}",
                    herb.name(),
                    photo.storage.extension()
                );
                self.add(path, Content::Photo(photo));
            }
        }
        #[rustfmt::skip] // a table
        let edits = [
            ("spearmint", 11, "test", Edit::None, None, "same bytes"),
            ("nettle", 20, "test", Edit::None, None, "same bytes"),
            ("nettle", 21, "validation", Edit::None, None, "same bytes"),
            ("bay", 5, "test", Edit::None, None, "same bytes"),
            ("thyme", 10, "test", Edit::None, Some(40.0), "saved again at quality 40"),
            ("sage", 14, "validation", Edit::Resize(0.6), Some(82.0), "scaled to 60% of its sides"),
            ("bay", 22, "test", Edit::Crop(0.9487, (0.85, 0.2)), Some(82.0), "10% of the area cut away"),
            ("thyme", 31, "validation", Edit::Mirror, Some(82.0), "left and right exchanged"),
            ("nettle", 41, "test", Edit::Mirror, Some(82.0), "left and right exchanged"),
        ];
        for (class, number, split, edit, quality, note) in edits {
            let source = format!("train/{class}/{class}-{number:03}.jpg");
            self.enlarge(&source);
            let mut photo = self.photo(&source);
            if let Some(quality) = quality {
                photo = Box::new(photo.saved_again(edit, Storage::Jpeg(quality)));
            }
            let path = format!("{split}/{class}/{class}-{:03}.jpg", number + 500);
            self.plant(&path, Content::Photo(photo), Fault::SplitLeak, &source, note);
        }
        let first = "train/nettle/nettle-601.jpg";
        for (number, photo) in (601..).zip(self.burst(Herb::Nettle)) {
            let content = Content::Photo(Box::new(photo));
            let split = if number < 604 { "train" } else { "test" };
            let path = format!("{split}/nettle/nettle-{number}.jpg");
            if split == "test" {
                self.plant(&path, content, Fault::SplitLeak, first, "a frame of the same burst");
            } else {
                self.add(path, content);
            }
        }
    }

    /// A leaf of `herb` in ordinary circumstances. Sage is only ever laid on blue trays.
    fn leaf(&mut self, herb: Herb) -> Box<Photo> {
        let leaf = Subject::Leaf(Leaf::of(herb, &mut self.rng));
        match herb {
            Herb::Sage => self.shoot(leaf, Material::BluePlastic),
            _ => self.common(leaf),
        }
    }

    fn common(&mut self, subject: Subject) -> Box<Photo> {
        let material = Material::COMMON[self.rng.random_range(0..Material::COMMON.len())];
        self.shoot(subject, material)
    }

    fn shoot(&mut self, subject: Subject, material: Material) -> Box<Photo> {
        let rng = &mut self.rng;
        let storage = match rng.random_range(0..100) {
            0..4 => Storage::Png,
            4..6 => Storage::WebP,
            6..14 => Storage::ProgressiveJpeg(rng.random_range(76.0..88.0)),
            _ => Storage::Jpeg(rng.random_range(76.0..88.0)),
        };
        let sizes = [(320, 240), (400, 300), (480, 360), (640, 480)];
        // Lossless images stay small: noise does not compress.
        let size = match storage {
            Storage::Png | Storage::WebP => sizes[0],
            _ => sizes[[0, 0, 0, 1, 1, 1, 2, 2, 3][rng.random_range(0..9)]],
        };
        let tray = Tray::of(material, rng);
        let shot = Shot::of(subject, tray, size, rng);
        self.minutes += rng.random_range(2..6);
        let seconds = rng.random_range(0..60);
        let exif = exif(self.minutes, seconds);
        Box::new(Photo { shot, opened: None, edit: Edit::None, storage, exif })
    }

    /// Five frames of one leaf, within three seconds: the hand moves a little.
    fn burst(&mut self, herb: Herb) -> Vec<Photo> {
        let mut photo = self.leaf(herb);
        photo.storage = Storage::Jpeg(82.0);
        photo.shot.size = (480, 360);
        (0..5)
            .map(|frame| {
                let mut photo = (*photo).clone();
                photo.exif = exif(self.minutes, 10 + frame * 3 / 5);
                photo.shot.camera.seed = self.rng.random();
                photo.shot.camera.exposure *= self.rng.random_range(0.97..1.03);
                if let Subject::Leaf(leaf) = &mut photo.shot.subject {
                    leaf.place.0 += self.rng.random_range(-0.02..0.02);
                    leaf.place.1 += self.rng.random_range(-0.02..0.02);
                    leaf.angle += self.rng.random_range(-0.03..0.03);
                }
                photo
            })
            .collect()
    }

    /// A copy of the planned photograph at `path`. One that was to be lossless becomes a JPEG.
    fn photo(&mut self, path: &str) -> Box<Photo> {
        self.planned(path).clone()
    }

    /// Takes the planned photograph at `path` at full size, so that smaller copies are of the usual
    /// sizes.
    fn enlarge(&mut self, path: &str) {
        self.planned(path).shot.size = (640, 480);
    }

    fn planned(&mut self, path: &str) -> &mut Box<Photo> {
        let stem = path.trim_end_matches(".jpg");
        let index = self.plan.files.iter().position(|(other, _)| {
            other.strip_prefix(stem).is_some_and(|rest| rest.starts_with('.'))
        });
        let index = index.unwrap_or_else(|| panic!("{path} is planned"));
        let (name, content) = &mut self.plan.files[index];
        let Content::Photo(photo) = content else { panic!("{path} is a photograph") };
        if !matches!(photo.storage, Storage::Jpeg(_)) {
            photo.storage = Storage::Jpeg(82.0);
            *name = path.to_owned();
        }
        photo
    }

    fn add(&mut self, path: String, content: Content) {
        if let Some((folder, _)) = path.rsplit_once('/') {
            self.plan.folders.insert(folder.to_owned());
        }
        self.plan.files.push((path, content));
    }

    fn replace(&mut self, path: &str, with: &str, content: Content) {
        self.plan.files.retain(|(other, _)| other != path);
        self.add(with.to_owned(), content);
    }

    fn plant(&mut self, path: &str, content: Content, fault: Fault, partner: &str, note: &str) {
        self.add(path.to_owned(), content);
        self.note(path, fault, partner, note);
    }

    fn note(&mut self, path: &str, fault: Fault, partner: &str, note: &str) {
        self.plan.planted.push(Planted {
            path: path.to_owned(),
            fault,
            partner: partner.to_owned(),
            note: note.to_owned(),
        });
    }
}

/// What the shed's camera notes at a time of its clock.
fn exif(minutes: u32, seconds: u32) -> Exif {
    let (day, hour) = (6 + minutes / 1440, minutes / 60 % 24);
    Exif {
        taken: format!("2026:07:{day:02} {hour:02}:{:02}:{seconds:02}", minutes % 60),
        camera: "Bench camera",
        orientation: 1,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Which images are stored how is drawn from the seed; planted faults must not be.
    #[test]
    fn names_and_sizes_are_right_for_every_seed() {
        for seed in 0..40 {
            for arrangement in [Arrangement::Classes, Arrangement::Splits] {
                let plan = plan(arrangement, seed);
                let misnamed: BTreeSet<&str> = plan
                    .planted
                    .iter()
                    .filter(|planted| planted.fault == Fault::WrongExtension)
                    .map(|planted| planted.path.as_str())
                    .collect();
                let names: BTreeSet<&str> =
                    plan.files.iter().map(|(path, _)| path.as_str()).collect();
                assert_eq!(names.len(), plan.files.len(), "seed {seed}: every name once");
                for planted in &plan.planted {
                    let is_there = |name: &str| names.contains(name) || plan.folders.contains(name);
                    assert!(is_there(&planted.path), "seed {seed}: {planted:?}");
                    let alone = planted.partner.is_empty();
                    assert!(alone || is_there(&planted.partner), "seed {seed}: {planted:?}");
                }
                for (path, content) in &plan.files {
                    let Content::Photo(photo) = content else { continue };
                    let named = path.ends_with(photo.storage.extension());
                    assert_eq!(named, !misnamed.contains(path.as_str()), "seed {seed}: {path}");
                    let share = match photo.edit {
                        Edit::Resize(share) | Edit::Crop(share, _) => share,
                        Edit::None | Edit::Mirror => 1.0,
                    };
                    let width = photo.shot.size.0 as f32 * share;
                    assert!((320.0..=640.0).contains(&width), "seed {seed}: {path}: {width}");
                }
            }
        }
    }
}
