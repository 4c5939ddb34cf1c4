//! A folder to work in, small painted images, and the built program.
#![allow(dead_code)] // every test file uses its own part of this

pub mod browser;

use std::collections::BTreeMap;
use std::ffi::OsStr;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::sync::Mutex;

use herb_shed::collection::{self, Arrangement, plan};
use herb_shed::encode::{self, Jpeg};
use herb_shed::faults::write_table;
use herb_shed::paint::Picture;
use serde_json::Value;
use tempfile::TempDir;

/// A folder to work in. Commands run inside it, so that their answers hold short paths.
pub struct Workspace {
    folder: TempDir,
    cache: TempDir,
}

/// What a command answered.
pub struct Answer {
    pub status: i32,
    pub stdout: String,
    pub stderr: String,
}

impl Workspace {
    /// An empty folder.
    pub fn new() -> Self {
        let temporary = || tempfile::tempdir().unwrap();
        Workspace { folder: temporary(), cache: temporary() }
    }

    /// A folder with a healthy collection `herbs`: 24 images of sage, 20 of bay.
    pub fn healthy() -> Self {
        let workspace = Workspace::new();
        workspace.class("herbs/sage", 24, 0);
        workspace.class("herbs/bay", 20, 100);
        workspace
    }

    /// A folder with one of every fault of a file in `herbs`.
    pub fn faulty() -> Self {
        let workspace = Workspace::healthy();
        let image = jpeg(900);
        let files: [(&str, &[u8]); 13] = [
            ("herbs/sage/cut.jpg", &image[..image.len() * 2 / 3]),
            ("herbs/sage/no-end.jpg", &jpeg(901)[..jpeg(901).len() - 2]),
            ("herbs/sage/trailing.jpg", &[&jpeg(902)[..], b"a clip"].concat()),
            ("herbs/sage/empty.jpg", b""),
            ("herbs/sage/page.jpg", b"Rack 4 is dry.\n"),
            ("herbs/sage/really.jpg", &png(903)),
            ("herbs/sage/phone.heic", b"\0\0\0\x18ftypheic...."),
            ("herbs/bay/notes.txt", b"turn on Tuesday"),
            ("herbs/bay/copy of 000.jpg", &jpeg(100)),
            ("herbs/bay/sage?.jpg", &jpeg(3)),
            ("herbs/Bay /000.jpg", &jpeg(904)),
            ("herbs/loose.jpg", &jpeg(905)),
            ("herbs/thyme/.gitkeep", b""),
        ];
        for (path, content) in files {
            workspace.write(path, content);
        }
        workspace
    }

    /// Lays the demo's collection and the list of what is planted in it into the folder `shed`. It is painted once
    /// for all tests, and no test may change it.
    pub fn lay_shed(&self, arrangement: Arrangement) {
        let painted = painted_shed(arrangement);
        #[cfg(unix)]
        std::os::unix::fs::symlink(painted, self.path("shed")).unwrap();
        #[cfg(not(unix))]
        for (name, content) in {
            let mut files = BTreeMap::new();
            collect(&painted, "", &mut files);
            files
        } {
            self.write(&format!("shed/{name}"), &content);
        }
    }

    /// The path of a file of the workspace.
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }

    /// Writes a file, and the folders above it.
    pub fn write(&self, name: &str, content: &[u8]) {
        let path = self.path(name);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, content).unwrap();
    }

    /// Fills a class folder with `count` images that differ from those of other tones.
    pub fn class(&self, folder: &str, count: u32, tone: u32) {
        for number in 0..count {
            self.write(&format!("{folder}/{number:03}.jpg"), &jpeg(tone + number));
        }
    }

    /// Runs the program with these arguments.
    pub fn run(&self, arguments: &[&str]) -> Answer {
        let Output { status, stdout, stderr } = self.command(arguments).output().unwrap();
        let text = |bytes| String::from_utf8(bytes).unwrap();
        Answer { status: status.code().unwrap(), stdout: text(stdout), stderr: text(stderr) }
    }

    /// Starts the program with these arguments and does not wait for it.
    pub fn spawn(&self, arguments: &[&str]) -> Child {
        let mut command = self.command(arguments);
        command.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap()
    }

    /// The program with these arguments, to be run in the workspace.
    pub fn command(&self, arguments: &[impl AsRef<OsStr>]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_mint-sieve"));
        command.args(arguments).current_dir(self.folder.path());
        command.env("XDG_CACHE_HOME", self.cache.path());
        for name in ["NO_COLOR", "CLICOLOR_FORCE", "RUST_BACKTRACE", "RUST_LOG", "AWS_ENDPOINT_URL"]
        {
            command.env_remove(name);
        }
        command
    }

    /// What the program says when it succeeds: nothing on standard error.
    pub fn message(&self, arguments: &[&str]) -> String {
        let answer = self.run(arguments);
        assert_eq!((answer.status, answer.stderr.as_str()), (0, ""), "{arguments:?}");
        answer.stdout
    }

    /// The JSON that the program says when it succeeds.
    pub fn json(&self, arguments: &[&str]) -> Value {
        serde_json::from_str(&self.message(&[arguments, &["--format", "json"]].concat())).unwrap()
    }

    /// The content of every file below a folder, by its path there. Links are followed.
    pub fn files(&self, folder: &str) -> BTreeMap<String, Vec<u8>> {
        let mut files = BTreeMap::new();
        collect(&self.path(folder), "", &mut files);
        files
    }

    /// The folder in which the program keeps its catalogs.
    pub fn catalogs(&self) -> PathBuf {
        self.cache.path().join("mint-sieve")
    }

    /// The names in the workspace itself.
    pub fn names(&self) -> Vec<String> {
        let entries = fs::read_dir(self.folder.path()).unwrap();
        let mut names: Vec<String> =
            entries.map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }
}

/// The demo's files, painted once for each state of what paints them, and kept beside the built tests.
fn painted_shed(arrangement: Arrangement) -> PathBuf {
    static PAINTING: Mutex<()> = Mutex::new(());
    let one_at_a_time = PAINTING.lock().unwrap();
    let painter = Path::new(env!("CARGO_MANIFEST_DIR")).join("../herb-shed/src");
    let mut sources = BTreeMap::new();
    collect(&painter, "", &mut sources);
    let mut state = blake3::Hasher::new();
    sources.values().for_each(|source| _ = state.update(source));
    let state = &state.finalize().to_hex()[..16];
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("{arrangement:?}-{state}"));
    if !folder.exists() {
        // Another process may paint the same: whoever is first gives it its name.
        let own = folder.with_extension(std::process::id().to_string());
        let plan = plan(arrangement, 0);
        collection::write(&own.join("collection"), &plan, &|| true).unwrap();
        write_table(&own.join("planted.csv"), &plan.planted).unwrap();
        if fs::rename(&own, &folder).is_err() {
            fs::remove_dir_all(&own).unwrap();
        }
    }
    drop(one_at_a_time);
    folder
}

fn collect(folder: &Path, prefix: &str, files: &mut BTreeMap<String, Vec<u8>>) {
    for entry in fs::read_dir(folder).unwrap() {
        let entry = entry.unwrap();
        let name = format!("{prefix}{}", entry.file_name().to_string_lossy());
        if entry.path().is_dir() {
            collect(&entry.path(), &format!("{name}/"), files);
        } else if let Err(error) = entry.path().metadata() {
            // A link that leads nowhere is what it says.
            assert!(entry.path().is_symlink(), "{error}");
            let target = fs::read_link(entry.path()).unwrap();
            files.insert(name, target.into_os_string().into_encoded_bytes());
        } else {
            files.insert(name, fs::read(entry.path()).unwrap());
        }
    }
}

/// An image of 64 x 48 pixels, the smallest that is recognised by its looks; every `tone` is another one, unlike all
/// others: patches of 8 x 8 pixels in colours that a counter gives.
pub fn image(tone: u32) -> Picture {
    let data = (0..64 * 48u32).flat_map(|at| {
        let (x, y) = (at % 64, at / 64);
        let mut bits = (tone << 16 | (y / 8) << 8 | (x / 8)).wrapping_mul(0x9e37_79b1);
        bits ^= bits >> 15;
        bits = bits.wrapping_mul(0x85eb_ca77);
        bits ^= bits >> 13;
        [bits as u8, (bits >> 8) as u8, (bits >> 16) as u8]
    });
    Picture { width: 64, height: 48, data: data.collect() }
}

/// [`image`] as a JPEG.
pub fn jpeg(tone: u32) -> Vec<u8> {
    encode::jpeg(&image(tone), 90.0, Jpeg::Baseline, None)
}

/// [`image`] as a PNG.
pub fn png(tone: u32) -> Vec<u8> {
    encode::png(&image(tone))
}

/// A JPEG of 96 x 72 pixels: a leaf of one colour, whose outline is that of its `tone`, on a ground of another; both with noise.
pub fn grounded(tone: u32, leaf: [u8; 3], ground: [u8; 3]) -> Vec<u8> {
    let bits = |at: u32| {
        let mixed = (tone.wrapping_mul(0x85eb_ca77) ^ at).wrapping_mul(0x9e37_79b1);
        (mixed ^ (mixed >> 15)).wrapping_mul(0xc2b2_ae3d) >> 16
    };
    let (wide, high) = (14.0 + f64::from(bits(1) % 12), 10.0 + f64::from(bits(2) % 10));
    let turn = f64::from(bits(3) % 314) / 100.0;
    let data = (0..96 * 72u32).flat_map(|at| {
        let shift = |which: u32| f64::from(bits(which) % 24) - 12.0;
        let (x, y) = (f64::from(at % 96) - 48.0 - shift(4), f64::from(at / 96) - 36.0 - shift(5));
        let (along, across) = (x * turn.cos() + y * turn.sin(), y * turn.cos() - x * turn.sin());
        let is_leaf = (along / wide).powi(2) + (across / high).powi(2) < 1.0;
        let colour = if is_leaf { leaf } else { ground };
        // Patches that differ from image to image, more on the leaf than around it.
        let patch = bits(1000 + at / 96 / 6 * 16 + at % 96 / 6) % 100;
        let varied = if is_leaf { patch as i32 - 50 } else { patch as i32 / 3 - 16 };
        colour.map(|level| (i32::from(level) + varied).clamp(0, 255) as u8)
    });
    let picture = Picture { width: 96, height: 72, data: data.collect() };
    encode::jpeg(&picture, 92.0, Jpeg::Baseline, None)
}

/// The strings of a JSON array.
pub fn strings(value: &Value) -> Vec<&str> {
    value.as_array().unwrap().iter().map(|value| value.as_str().unwrap()).collect()
}
