//! How calls are answered that are wrong, and what `--help` says.

mod support;

use support::Workspace;

/// Every command's help, one after the other.
#[test]
fn help_opens_with_the_purpose_and_closes_with_examples() {
    let workspace = Workspace::new();
    let mut all = String::new();
    for command in [
        &["--help"][..],
        &["audit", "--help"],
        &["split", "--help"],
        &["preview", "--help"],
        &["demo", "--help"],
    ] {
        let text = workspace.message(command);
        assert!(text.contains("Examples:"), "{text}");
        all.push_str(&format!("$ mint-sieve {}\n{text}\n", command.join(" ")));
    }
    insta::assert_snapshot!(all);
}

/// Each bad call with its exit status and what it says on standard error.
#[test]
fn bad_calls_say_what_was_wrong_and_what_was_expected() {
    let workspace = Workspace::healthy();
    workspace.write("taken.csv", b"mine");
    workspace.write("full/file", b"mine");
    workspace.class("two/sage", 2, 300);
    workspace.write("lines.jsonl", b"{\"path\": \"a.jpg\", \"class\": \"bay\"}\n{\"path\": }\n");
    let calls = [
        "audit",
        "audti herbs",
        "audit hreb",
        "audit nowhere",
        "audit taken.csv",
        "audit herbs --format yaml",
        "audit herbs --fail-on bad",
        "audit herbs --limit thin=3",
        "audit herbs --limit thin-class",
        "audit herbs --limit thin-class=few",
        "audit herbs --limit imbalance=inf",
        "audit herbs --limit chance=2",
        "audit herbs --seed -1",
        "audit herbs --columns path=file",
        "audit herbs --max-memory 0",
        "audit herbs --config /dev/zero",
        "audit herbs --splits-from /dev/zero",
        "audit herbs --catalog /dev/zero",
        "audit lines.jsonl",
        "leakage a=herbs b=herbs",
        "audit herbs --threads 0",
        "audit herbs full",
        "audit trian=herbs test=nowhere",
        "audit herbs --splits sgae",
        "audit herbs --class-depth 0",
        "audit herbs --label-from {n}.jpg",
        "audit herbs --columns name=file",
        "audit herbs --catalog taken.csv",
        "audit herbs --catalog herbs/catalog.sqlite",
        "audit herbs --no-catalog --recheck",
        "audit full/file",
        "split herbs --parts train",
        "split herbs --parts train=70,test=40",
        "split herbs --parts train=50,train=50",
        "split herbs --parts a/b=50,c=50",
        "split herbs --parts train=320,test=40",
        "split herbs --parts A=50,a=50",
        "split herbs --parts split.csv=50,a=50",
        "split two --to parts",
        "split herbs --seed first",
        "split herbs --seed -1",
        "split herbs --link hard",
        "split herbs --to full",
        "split herbs --to taken.csv",
        "split herbs --out taken.csv",
        "split herbs --out nowhere/split.csv",
        "split herbs --to herbs/splits",
        "split herbs --out herbs/split.csv",
        "preview herbs --policy gentle --sheet-only",
        "preview herbs --policy gentel --out sheet.png",
        "preview herbs --policy herbs --out sheet.png",
        "preview herbs --policy gentle --out herbs/sheet.png",
        "preview herbs --policy gentle --out sheet.jpg",
        "preview herbs --policy gentle --out sheet.png --class Sage",
        "preview herbs --policy gentle --out sheet.png --draws 0",
        "preview herbs --policy gentle --out sheet.png --per-class 900 --draws 9",
        "demo full",
        "demo taken.csv",
    ];
    let before = workspace.files("");
    let mut all = String::new();
    for call in calls {
        let answer = workspace.run(&call.split(' ').collect::<Vec<_>>());
        assert_eq!(answer.stdout, "", "{call}");
        assert!([2, 3].contains(&answer.status), "{call}: {}", answer.status);
        all.push_str(&format!("$ mint-sieve {call}\n{}-> {}\n\n", answer.stderr, answer.status));
    }
    insta::assert_snapshot!(all);
    assert_eq!(workspace.files(""), before, "a bad call writes nothing");
}

#[test]
fn verbose_tells_what_was_decided_on_standard_error() {
    let workspace = Workspace::faulty();
    let answer = workspace.run(&["audit", "herbs", "--verbose", "--threads", "1"]);
    assert_eq!(answer.status, 0);
    assert!(answer.stderr.contains("set aside path=\"sage/cut.jpg\""), "{}", answer.stderr);
    assert!(!answer.stderr.contains('\u{1b}'), "no colours where there is no terminal");
    assert_eq!(answer.stdout, workspace.message(&["audit", "herbs"]));
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_standard_output_is_told() {
    let workspace = Workspace::healthy();
    for format in ["text", "json", "csv"] {
        let full = std::fs::OpenOptions::new().write(true).open("/dev/full").unwrap();
        let mut command = workspace.command(&["audit", "herbs", "--format", format]);
        let output = command.stdout(full).output().unwrap();
        let said = String::from_utf8(output.stderr).unwrap();
        assert_eq!(output.status.code(), Some(3), "{format}");
        assert!(
            said.starts_with("error: cannot write to standard output: No space left"),
            "{said}"
        );
    }
}

/// One temporary file and one folder of a run that was killed, and one of a run that lives.
#[cfg(unix)]
#[test]
fn what_a_killed_run_left_behind_is_removed_and_what_a_living_one_needs_is_not() {
    let workspace = Workspace::healthy();
    workspace.write("out/.mint-sieve-Dead01/folder/train/sage/000.jpg", b"half");
    workspace.write("out/.mint-sieve-Dead02", b"half a table");
    workspace.write("out/.mint-sieve-Alive1/folder/train/sage/000.jpg", b"half");
    workspace.write("out/.mint-sieve-notes.txt", b"mine");
    workspace.write("out/.mint-sieve-Mine01/else", b"mine");
    let alive = std::fs::File::open(workspace.path("out/.mint-sieve-Alive1")).unwrap();
    alive.try_lock().unwrap();
    let answer = workspace.run(&["split", "herbs", "--out", "out/split.csv"]);
    assert_eq!(answer.status, 0);
    let mut said: Vec<&str> = answer.stderr.lines().collect();
    said.sort_unstable();
    let removed = |name: &str| {
        format!("warning: removed out/{name}, left behind by a run that was interrupted")
    };
    assert_eq!(said, [removed(".mint-sieve-Dead01"), removed(".mint-sieve-Dead02")]);
    let left: Vec<String> = workspace.files("out").into_keys().collect();
    let kept = [
        ".mint-sieve-Alive1/folder/train/sage/000.jpg",
        ".mint-sieve-Mine01/else",
        ".mint-sieve-notes.txt",
        "split.csv",
    ];
    assert_eq!(left, kept);
    // A run that is killed while it writes leaves one, and the next one takes it away.
    for number in 0..400 {
        workspace.write(&format!("many/sage/{number}.jpg"), &support::jpeg(number));
    }
    let holds_leftover = || {
        let names = std::fs::read_dir(workspace.path("runs")).unwrap();
        names.flatten().any(|entry| entry.file_name().to_string_lossy().starts_with(".mint-sieve-"))
    };
    std::fs::create_dir(workspace.path("runs")).unwrap();
    let mut child = workspace.spawn(&["split", "many", "--to", "runs/a"]);
    while !holds_leftover() && child.try_wait().unwrap().is_none() {}
    child.kill().unwrap();
    child.wait().unwrap();
    let was_left = holds_leftover();
    let answer = workspace.run(&["split", "many", "--to", "runs/b"]);
    assert_eq!((answer.status, answer.stderr.lines().count()), (0, usize::from(was_left)));
    assert!(!holds_leftover());
}

#[cfg(unix)]
#[test]
fn folders_that_cannot_be_written_are_told_without_temporary_names() {
    use std::os::unix::fs::PermissionsExt;
    let workspace = Workspace::healthy();
    let locked = workspace.path("locked");
    std::fs::create_dir(&locked).unwrap();
    std::fs::set_permissions(&locked, std::fs::Permissions::from_mode(0o555)).unwrap();
    if std::fs::write(locked.join("probe"), b"x").is_ok() {
        return eprintln!("skipped: this user may write everywhere");
    }
    for call in [
        "split herbs --out locked/split.csv",
        "split herbs --to locked/splits",
        "preview herbs --policy gentle --out locked/sheet.png",
    ] {
        let answer = workspace.run(&call.split(' ').collect::<Vec<_>>());
        assert_eq!(answer.status, 3);
        assert!(answer.stderr.contains("Permission denied\n"), "{}", answer.stderr);
        assert!(!answer.stderr.contains(".mint-sieve"), "{}", answer.stderr);
    }
}

/// The manual explains every code and limit, with the severity and default that they have.
#[test]
fn the_manual_knows_every_finding_and_limit() {
    use sieve_core::finding::{Code, Severity};
    let manual = include_str!("../../../docs/findings.md");
    let parts: Vec<&str> = manual.split("\n## ").collect();
    for code in Code::ALL {
        let heading = match code.severity() {
            Severity::Error => "Errors",
            Severity::Warning => "Warnings",
            Severity::Note => "Notes",
        };
        let part = parts.iter().find(|part| part.starts_with(heading)).unwrap();
        assert!(part.contains(&format!("\n| `{}` |", code.as_str())), "{}", code.as_str());
    }
    for limit in sieve_core::limits::LIMITS {
        let row = format!("| `{}` | {} {} |", limit.name, limit.default, limit.unit);
        assert!(manual.contains(&row), "{row}");
    }
}
