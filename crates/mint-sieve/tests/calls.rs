//! How calls are answered that are wrong, and what `--help` says.

mod support;

use support::Workspace;

/// Every command's help, one after the other.
#[test]
fn help_opens_with_the_purpose_and_closes_with_examples() {
    let workspace = Workspace::new();
    let mut all = String::new();
    let first = workspace.message(&["--help"]);
    // Commands stand in groups below the usage, two columns in.
    let listed = first.lines().take_while(|line| !line.starts_with("Options:"));
    let commands: Vec<&str> = listed
        .filter_map(|line| line.strip_prefix("  ")?.split_once("  "))
        .map(|(name, _)| name)
        .filter(|name| name.chars().all(|c| c.is_ascii_lowercase() || c == '-'))
        .collect();
    assert!(commands.len() >= 17, "{commands:?}");
    all.push_str(&format!("$ mint-sieve --help\n{first}\n"));
    for command in commands {
        let text = workspace.message(&[command, "--help"]);
        assert!(text.contains("Examples:"), "{text}");
        // An example is a line to paste: the library for arguments must not have broken it.
        let examples = text.split("Examples:").nth(1).unwrap_or_default();
        let is_whole = |line: &str| {
            line.trim().is_empty() || line.contains("mint-sieve") || line.starts_with("    ")
        };
        assert!(examples.lines().all(is_whole), "{command}: {examples}");
        all.push_str(&format!("$ mint-sieve {command} --help\n{text}\n"));
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
        "preview herbs --policy gentle --out sheet.png --per-class 900 --draws 150",
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

#[cfg(unix)]
#[test]
fn what_a_killed_run_left_behind_is_removed() {
    let workspace = Workspace::new();
    // A run that is killed while it writes leaves one, and the next one takes it away.
    for number in 0..400 {
        workspace.write(&format!("many/sage/{number}.jpg"), &support::jpeg(number));
    }
    let holds_leftover = || {
        let names = std::fs::read_dir(workspace.path("runs")).unwrap();
        // Before there is something in it, it is an empty folder that nobody can tell from another's.
        names.flatten().any(|entry| entry.path().join("content").exists())
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
