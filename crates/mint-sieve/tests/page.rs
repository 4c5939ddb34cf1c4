//! `report`, its page opened in a browser where there is one.

mod support;

use std::fs;

use herb_shed::collection::Arrangement;
use serde_json::{Value, json};
use support::browser::Browser;
use support::{Workspace, jpeg, png};

/// A collection with copies, a label conflict and a cut file.
fn collection() -> Workspace {
    let workspace = Workspace::healthy();
    workspace.write("herbs/sage/copy.jpg", &jpeg(3));
    workspace.write("herbs/bay/sage 5.jpg", &jpeg(5));
    workspace.write("herbs/bay/cut.jpg", &jpeg(60)[..jpeg(60).len() / 2]);
    workspace.write("herbs/sage/really.jpg", &png(903));
    workspace
}

fn report(workspace: &Workspace) {
    workspace.message(&["report", "herbs", "--out", "report.html"]);
}

/// The numbers on the page of the images whose paths end so.
const NUMBER: &str = "JSON.parse(document.getElementById('data').textContent).images.findIndex(one => one[0].endsWith(NAME))";

/// Chooses on the first card of an image, which is drawn for that.
fn tick(browser: &mut Browser, name: &str, action: &str) {
    let number = NUMBER.replace("NAME", &json!(name).to_string());
    browser.value(&format!(
        "dispatchEvent(new Event('beforeprint')); \
         document.querySelector(`.card[data-image=\"${{{number}}}\"] [data-action={action}]`).click()"
    ));
}

#[test]
fn the_answer_says_what_the_page_holds_and_nothing_is_overwritten() {
    let workspace = collection();
    let text = workspace.message(&["report", "herbs", "--out", "report.html", "--threads", "1"]);
    let page = fs::read(workspace.path("report.html")).unwrap();
    let size = humansize_of(page.len());
    insta::assert_snapshot!(text.replace(&size, "SIZE"));
    let refused = workspace.run(&["report", "herbs", "--out", "report.html"]);
    assert!(refused.status == 3 && refused.stderr.contains("exists already"), "{}", refused.stderr);
    for (out, what) in [("herbs/page.html", "inside"), ("page.pdf", "Did you mean page.html?")] {
        let refused = workspace.run(&["report", "herbs", "--out", out]);
        assert!(refused.status == 2 && refused.stderr.contains(what), "{}", refused.stderr);
        assert!(!workspace.path(out).exists());
    }
    // The same bytes from any number of threads; the name of the file is in the command that it tells.
    fs::rename(workspace.path("report.html"), workspace.path("first.html")).unwrap();
    let answer = workspace.json(&["report", "herbs", "--out", "report.html", "--threads", "5"]);
    assert_eq!(fs::read(workspace.path("report.html")).unwrap(), page);
    assert_eq!(answer["bytes"], json!(page.len()));
    assert_eq!(answer["schema"], "mint-sieve/report/1");
}

/// As the program writes sizes.
fn humansize_of(bytes: usize) -> String {
    format!("{:.2} kB", bytes as f64 / 1000.0)
}

#[test]
fn what_nobody_touched_is_the_plan_of_propose_and_choices_go_round_the_loop() {
    let Some(mut browser) = Browser::start() else { return };
    let workspace = collection();
    report(&workspace);
    workspace.message(&["propose", "herbs", "--out", "proposed.csv"]);
    browser.open(&workspace.path("report.html"));
    let untouched = browser.saved(|browser| browser.click("#save"));
    assert_eq!(untouched, fs::read_to_string(workspace.path("proposed.csv")).unwrap());
    let reported = browser.text("#told");
    assert!(reported.starts_with("Plan: drop 2, rename 1, decide 2; 47 → 46 images"), "{reported}");

    // By mouse: what was proposed is kept, what was left open decided, what nobody proposed dropped.
    tick(&mut browser, "sage/copy.jpg", "keep");
    tick(&mut browser, "sage/005.jpg", "keep");
    tick(&mut browser, "bay/sage 5.jpg", "drop");
    tick(&mut browser, "bay/cut.jpg", "keep");
    // By keyboard: the image is looked at, dropped, and that is taken back.
    let first = "document.querySelector('#samples .card .look')";
    browser.value(&format!("dispatchEvent(new Event('beforeprint')); {first}.focus()"));
    let name = "document.activeElement.closest('.card').querySelector('.name').textContent";
    let dropped = browser.value(name).as_str().unwrap().to_owned();
    browser.press("d");
    browser.press("n");
    let other = browser.value(name).as_str().unwrap().to_owned();
    assert_ne!(dropped, other);
    browser.press("d");
    browser.press("u");
    // To another class, and to one that there was not.
    browser.press("r");
    browser.value("document.getElementById('other').value = '=dill'");
    browser.click("#labels button[value=relabel]");
    browser.until("document.getElementById('said').textContent.endsWith('relabel to =dill')");
    let reported = browser.text("#told");
    assert!(
        reported.starts_with("Plan: drop 2, relabel 1, rename 1; 47 → 45 images"),
        "{reported}"
    );

    // The page is shut and opened again. A browser stores what it was given a moment later, in another process.
    for _ in 0..50 {
        browser.open(&workspace.path("report.html"));
        if browser.text("#told") == reported {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    assert_eq!(browser.text("#told"), reported);
    let plan = browser.saved(|browser| browser.click("#save"));
    workspace.write("plan.csv", plan.as_bytes());
    workspace.message(&["apply", "plan.csv", "--to", "repaired"]);
    let (before, after) = (workspace.files("herbs"), workspace.files("repaired"));
    let mut expected = before.clone();
    expected.remove("bay/sage 5.jpg");
    expected.remove(&dropped);
    let relabelled = expected.remove(&other).unwrap();
    let file = other.rsplit('/').next().unwrap();
    expected.insert(format!("=dill/{file}"), relabelled);
    let renamed = expected.remove("sage/really.jpg").unwrap();
    expected.insert("sage/really.png".to_owned(), renamed);
    // A file that is no image is kept where a person says so.
    assert_eq!(after.keys().collect::<Vec<_>>(), expected.keys().collect::<Vec<_>>(), "{plan}");
    assert!(after == expected);

    // A plan is taken over, as a spreadsheet has left it; the same one comes out.
    for _ in 0..50 {
        browser.value("localStorage.clear()");
        browser.open(&workspace.path("report.html"));
        if browser.text("#told").contains("decide 2") {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(200));
    }
    let spreadsheet = json!(plan.replace('\n', "\r\n"));
    let loaded = format!(
        "(async () => {{ const chosen = new DataTransfer(); \
         chosen.items.add(new File(['\\ufeff' + {spreadsheet}], 'mine.csv')); \
         const input = document.getElementById('file'); input.files = chosen.files; \
         input.dispatchEvent(new Event('change')); }})()"
    );
    browser.value(&loaded);
    browser.until("document.getElementById('said').textContent.includes('rows taken over')");
    assert_eq!(browser.text("#told"), reported);
    assert_eq!(browser.saved(|browser| browser.click("#save")), plan);
    assert_eq!(browser.complaints(), Vec::<String>::new());
}

#[test]
fn hostile_names_are_text_and_nothing_else_runs() {
    let Some(mut browser) = Browser::start() else { return };
    let workspace = Workspace::new();
    let names = [
        "<script>hacked = 1;",
        "\"><img src=x onerror=hacked=1>",
        "'; hacked = 1; '",
        "{{ 7 * 7 }}",
        "\u{202e}gnp",
        "#comment",
    ];
    for (at, name) in (0u32..).zip(names) {
        for number in 0..3 {
            let tone = at * 10 + number;
            workspace.write(&format!("herbs/{name}/{name}{number}.jpg"), &jpeg(tone));
        }
        workspace.write(&format!("herbs/{name}/again.jpg"), &jpeg(at * 10));
    }
    workspace.write("herbs/</script><script>hacked=1;<.jpg", &jpeg(700));
    report(&workspace);
    browser.open(&workspace.path("report.html"));
    browser.value("dispatchEvent(new Event('beforeprint'))");
    let is_hacked = "typeof hacked !== 'undefined' || document.querySelector('[onerror], main script:not(.ties)') !== null";
    assert_eq!(browser.value(is_hacked), json!(false));
    let shown = browser.text("#samples");
    for name in ["<script>hacked = 1;", "{{ 7 * 7 }}", "\\u{202e}gnp", "<img src=x"] {
        assert!(shown.contains(name), "{name}: {shown}");
    }
    assert_eq!(browser.complaints(), Vec::<String>::new());
    let plan = browser.saved(|browser| browser.click("#save"));
    workspace.message(&["propose", "herbs", "--out", "proposed.csv"]);
    assert_eq!(plan, fs::read_to_string(workspace.path("proposed.csv")).unwrap());
    // The page itself may not run what it was not made with, nor ask anybody.
    let tried = browser.value(
        "(async () => { const script = document.createElement('script'); script.textContent = 'hacked = 1'; \
         document.body.append(script); \
         const image = document.createElement('img'); image.setAttribute('onerror', 'hacked = 1'); image.src = 'x:'; \
         document.body.append(image); \
         const asked = await fetch('https://localhost/').then(() => true, () => false); \
         await new Promise(done => setTimeout(done, 100)); \
         return [typeof hacked === 'undefined', asked]; })()",
    );
    assert_eq!(tried, json!([true, false]));
    let refused = browser.complaints();
    assert!(refused.iter().any(|one| one.contains("Content Security Policy")), "{refused:?}");
}

#[test]
fn pictures_are_shown_at_full_size_beside_each_other_and_lists_are_drawn_as_they_come_into_view() {
    let Some(mut browser) = Browser::start() else { return };
    let workspace = Workspace::new();
    workspace.lay_shed(Arrangement::Classes);
    workspace.message(&[
        "report",
        "shed/collection",
        "--out",
        "report.html",
        "--policy",
        "gentle",
        "--per-class",
        "30",
    ]);
    browser.open(&workspace.path("report.html"));
    let drawn = "document.querySelectorAll('.card').length";
    let count = |value: Value| value.as_u64().unwrap();
    let at_first = count(browser.value(drawn));
    browser.value("document.getElementById('samples').scrollIntoView()");
    browser.until("document.querySelector('#samples .card') !== null");
    let later = count(browser.value(drawn));
    assert!(at_first < later && later < 389, "{at_first} {later}");
    browser.value("document.getElementById('group-2').scrollIntoView()");
    browser.until("document.querySelector('#group-2 .card:nth-child(2)') !== null");
    browser.value("document.querySelector('#group-2 .card:nth-child(2) .look').focus()");
    browser.press("Enter");
    let loaded = "Promise.all([...document.querySelectorAll('.stage img')].map(one => one.decode().then(() => [one.naturalWidth, one.src.startsWith('file:')])))";
    let shown = browser.value(loaded);
    assert_eq!(shown.as_array().unwrap().len(), 2, "{shown}");
    assert!(shown.as_array().unwrap().iter().all(|one| one[1] == json!(true)), "{shown}");
    browser.press("x");
    assert_eq!(
        browser.value("document.querySelector('.stage').className"),
        json!("stage over difference")
    );
    browser.press("d");
    browser.press("Escape");
    browser.value("document.getElementById('viewer').close()");
    assert!(browser.text("#said").ends_with(": drop"), "{}", browser.text("#said"));
    // What is typed into the filter leaves the cases that hold it.
    browser.value(
        "document.getElementById('words').value = 'same-bytes'; \
         document.getElementById('words').dispatchEvent(new Event('input'))",
    );
    browser.until("document.getElementById('matches').textContent !== ''");
    let left = "[...document.querySelectorAll('.case')].filter(one => !one.hidden && one.closest('.warning')).map(one => one.closest('.code').querySelector('code').textContent)";
    assert_eq!(browser.value(left), json!(["same-bytes", "same-bytes"]));
    assert!(browser.text("#policies").contains("gentle"));
    assert_eq!(browser.complaints(), Vec::<String>::new());
}

/// The text between two marks of a page.
fn between<'a>(page: &'a str, start: &str, end: &str) -> &'a str {
    page.split_once(start).unwrap_or_else(|| panic!("{start}")).1.split_once(end).unwrap().0
}

#[test]
fn the_page_holds_every_image_concerned_and_the_rows_of_the_plan() {
    let workspace = collection();
    workspace.write("herbs/sage/</b>&.jpg", &jpeg(9));
    report(&workspace);
    let page = fs::read_to_string(workspace.path("report.html")).unwrap();
    let data = between(&page, "id=\"data\">", "</script>");
    let data: Value = serde_json::from_str(data).unwrap();
    let images = data["images"].as_array().unwrap();
    let path = |number: &Value| images[number.as_u64().unwrap() as usize][0].as_str().unwrap();
    // Rows are those of propose, for the same images.
    let proposed = workspace.json(&["propose", "herbs"]);
    let (rows, expected) = (data["rows"].as_array().unwrap(), proposed["rows"].as_array().unwrap());
    assert_eq!(rows.len(), expected.len());
    for (row, expected) in rows.iter().zip(expected) {
        assert_eq!(json!(path(&row[0])), expected["path"]);
        let cells = [&row[1][1], &row[1][3], &row[1][4]];
        assert_eq!(cells, [&expected["action"], &expected["to"], &expected["group"]]);
    }
    // Every finding is there with its images, and every image has a thumbnail but those that are none.
    let audit = workspace.json(&["audit", "herbs"]);
    for finding in audit["findings"].as_array().unwrap() {
        let code = finding["code"].as_str().unwrap();
        let section = between(&page, &format!("<code>{code}</code>"), "</section>");
        for image in finding["images"].as_array().unwrap() {
            let lists = section.split("data-images=\"").skip(1);
            let numbers = lists.flat_map(|list| list.split('"').next().unwrap().split(','));
            let mut shown = numbers.map(|number| path(&json!(number.parse::<u64>().unwrap())));
            assert!(shown.any(|shown| json!(shown) == *image), "{code}: {image}");
        }
    }
    let thumbnails: Vec<&str> =
        between(&page, "id=\"thumbnails\">", "</script>").split('\n').collect();
    assert_eq!(thumbnails.len(), images.len());
    for (image, thumbnail) in images.iter().zip(thumbnails) {
        let is_picture = image[9] == "";
        assert_eq!(thumbnail.is_empty(), !is_picture, "{image}");
        assert_eq!(image[4].as_str().unwrap().len(), if is_picture { 64 } else { 0 });
    }
    // Names are escaped wherever they stand.
    assert!(
        page.contains("herbs/sage/%3C/b%3E%26.jpg") && page.contains("&lt;&#x2f;b&gt;&amp;.jpg")
    );
    assert!(!page.contains("</b>&.jpg"));
    // Of an archive there is nothing to open; a collection with splits has leaks in place of a split.
    let zipped = {
        let mut writer = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        for (name, content) in workspace.files("herbs") {
            let (class, file) = name.split_once('/').unwrap();
            let part = if file.contains('5') { "test" } else { "train" };
            let options = zip::write::SimpleFileOptions::default();
            writer.start_file(format!("{part}/{class}/{file}"), options).unwrap();
            std::io::Write::write_all(&mut writer, &content).unwrap();
        }
        writer.finish().unwrap().into_inner()
    };
    workspace.write("herbs.zip", &zipped);
    workspace.message(&["report", "herbs.zip", "--out", "zip.html", "--per-class", "0"]);
    let page = fs::read_to_string(workspace.path("zip.html")).unwrap();
    let data: Value = serde_json::from_str(between(&page, "id=\"data\">", "</script>")).unwrap();
    assert!(data["images"].as_array().unwrap().iter().all(|image| image[5] == ""));
    assert_eq!(data["splits"], json!(["train", "test"]));
    assert!(page.contains("id=\"leaks\"") && !page.contains("id=\"split\""));
    assert!(!page.contains("id=\"samples\""));
}

#[test]
fn a_sheet_is_a_page_too_whose_images_open() {
    let workspace = Workspace::healthy();
    workspace.write("herbs/bay/<i>.jpg", &jpeg(150));
    let text =
        workspace.message(&["sheet", "herbs", "--all", "--order", "name", "--out", "all.html"]);
    assert!(text.contains("Written: all.html (45 cells)"), "{text}");
    let page = fs::read_to_string(workspace.path("all.html")).unwrap();
    assert_eq!(page.matches("<img ").count(), 45);
    assert!(page.contains("href=\"herbs&#x2f;bay&#x2f;%3Ci%3E.jpg\"") && !page.contains("<i>.jpg"));
    let Some(mut browser) = Browser::start() else { return };
    browser.open(&workspace.path("all.html"));
    let widths = browser.value(
        "Promise.all([...document.querySelectorAll('a')].slice(0, 3).map(async one => { \
         const image = new Image(); image.src = one.href; await image.decode(); return image.naturalWidth }))",
    );
    assert_eq!(widths, json!([64, 64, 64]));
    assert_eq!(browser.complaints(), Vec::<String>::new());
}

#[test]
fn a_page_says_what_is_accepted_what_a_policy_does_and_when_nothing_is_wrong() {
    let workspace = Workspace::healthy();
    workspace.write(
        "herbs/mint-sieve.toml",
        b"[[suppress]]\ncode = \"thin-class\"\nreason = \"a <first> trial\"\n",
    );
    workspace.write(
        "policy.toml",
        b"[frame]\nsize = 48\n[[step]]\ndo = \"rotate\"\nbetween = [-20, 20]\n",
    );
    let call = ["report", "herbs", "--limit", "thin-class=21", "--policy", "policy.toml"];
    workspace.message(&[&call[..], &["--out", "page.html", "--per-class", "3"]].concat());
    let page = fs::read_to_string(workspace.path("page.html")).unwrap();
    assert!(page.contains("1 finding: a &lt;first&gt; trial"));
    // The sheet is inside of the page, the numbers beside it, and the command that says the same.
    let policy = between(&page, "id=\"policies\"", "</section>");
    assert!(
        policy.contains("data:image&#x2f;jpeg;base64,")
            || policy.contains("data:image/jpeg;base64,")
    );
    assert!(policy.contains("rotate") && policy.contains("--policy policy.toml"), "{policy}");
    assert!(!policy.contains('\u{1b}'), "no styles of a terminal");
    assert_eq!(between(&page, "id=\"samples\"", "</section>").matches("data-images").count(), 2);
    // The limits in force stand at its end, and the command that makes it again.
    assert!(page.contains("--limit thin-class=21") && page.contains("21 images"), "made");
    // Another seed draws another sample; a policy that there is not is said before any work.
    workspace.message(&[
        "report",
        "herbs",
        "--out",
        "other.html",
        "--per-class",
        "3",
        "--seed",
        "9",
    ]);
    let other = fs::read_to_string(workspace.path("other.html")).unwrap();
    let sample = |page: &str| between(page, "id=\"data\">", "</script>").to_owned();
    assert_ne!(sample(&page), sample(&other));
    let refused = workspace.run(&["report", "herbs", "--out", "no.html", "--policy", "gentel"]);
    assert_eq!(refused.status, 3, "{}", refused.stderr);
    assert!(!workspace.path("no.html").exists());
    // A sound collection has a page as well.
    let page = {
        workspace.message(&["report", "herbs", "--out", "sound.html"]);
        fs::read_to_string(workspace.path("sound.html")).unwrap()
    };
    assert!(page.contains("<h2>No findings</h2>") && !page.contains("id=\"groups\""));
    assert!(page.contains("<b>Plan:</b> 0 changes are proposed."));
}
