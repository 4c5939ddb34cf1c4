(() => {
"use strict";
const data = JSON.parse(document.getElementById("data").textContent);
const thumbnails = document.getElementById("thumbnails").textContent.split("\n");
const store = "mint-sieve plan " + document.body.dataset.key;
const find = (selector, within = document) => within.querySelector(selector);
const all = (selector, within = document) => [...within.querySelectorAll(selector)];
const byId = id => document.getElementById(id);

// An element with this class and text.
const made = (name, className, text) => {
  const element = document.createElement(name);
  if (className) element.className = className;
  if (text !== undefined) element.textContent = text;
  return element;
};

// ---- What is known of an image -------------------------------------------------------------

const [PATH, CELL, CLASS, SPLIT, DIGEST, ADDRESS, WIDTH, HEIGHT, BYTES, WHY] = [...Array(10).keys()];
// The columns of a plan.
const [ROW_PATH, ACTION, FROM, TO, GROUP, REASON, CONFIDENCE, ROW_DIGEST] = [...Array(8).keys()];
const DECISIONS = ["keep", "drop", "relabel", "decide"];

const rowsOf = new Map();
data.rows.forEach(([image], at) => {
  if (!rowsOf.has(image)) rowsOf.set(image, []);
  rowsOf.get(image).push(at);
});
const cellOf = image => data.images[image][CELL] || data.images[image][PATH];
const imageOfCell = new Map(data.images.map((_, image) => [cellOf(image), image]));
const classCell = image => data.images[image][CLASS] < 0 ? "" : data.classes[data.images[image][CLASS]][1];
// As the program guards cells that a spreadsheet would run, and takes that back.
const wouldRun = text => /^'*[=+\-@\t\r]/.test(text);
const guarded = text => wouldRun(text) ? "'" + text : text;
const unguarded = cell => cell.startsWith("'") && wouldRun(cell.slice(1)) ? cell.slice(1) : cell;
const className = cell => {
  const known = data.classes.find(one => one[1] === cell);
  return known ? known[0] : unguarded(cell);
};
const bytes = count => count < 1000 ? count + " B" : count < 999500 ? Math.round(count / 1000) + " kB" : (count / 1e6).toFixed(1) + " MB";

// ---- What is decided -----------------------------------------------------------------------

// Image to {action, to}: what a person chose in place of what is proposed.
const choices = new Map();
const history = [];
// Rows of a plan that was loaded and that this page knows nothing of.
let strangers = [];

// What is proposed: the row that decides.
function proposal(image) {
  const rows = (rowsOf.get(image) || []).map(at => data.rows[at][1]);
  const of = name => rows.find(row => row[ACTION] === name);
  const row = of("drop") || of("decide") || of("relabel") || of("keep");
  return row && { action: row[ACTION], to: row[TO], reason: row[REASON] };
}

const outcome = image => choices.get(image) || proposal(image);

function remember() {
  const kept = { choices: [...choices], strangers };
  try {
    localStorage.setItem(store, JSON.stringify(kept));
  } catch {
    say("This browser does not store your choices for local pages: save the plan before closing this page.");
  }
}

function recall() {
  try {
    const kept = JSON.parse(localStorage.getItem(store) || "{}");
    (kept.choices || []).forEach(([image, choice]) => choices.set(image, choice));
    strangers = kept.strangers || [];
  } catch {
    // What cannot be read was not kept.
  }
}

// Chooses for several images at once; a choice of nothing goes back to what is proposed.
function choose(images, choice) {
  const before = images.map(image => [image, choices.get(image)]);
  images.forEach(image => choice ? choices.set(image, choice) : choices.delete(image));
  history.push({ before, strangers });
  changed(images);
  const what = choice ? choice.action + (choice.to ? " to " + className(choice.to) : "") : "as proposed";
  say(images.length === 1 ? data.images[images[0]][PATH] + ": " + what : images.length + " images: " + what);
}

function undo() {
  const last = history.pop();
  if (!last) return;
  const before = last.before;
  strangers = last.strangers;
  before.forEach(([image, choice]) => choice ? choices.set(image, choice) : choices.delete(image));
  changed(before.map(([image]) => image));
  say("Undone.");
}

function changed(images) {
  remember();
  images.forEach(image => (cardsOf.get(image) || []).forEach(card => draw(card, image)));
  if (viewer.open) drawViewed();
  tell();
}

function say(text) { byId("said").textContent = text; }

// What the plan would do, counted.
function tell() {
  const counts = { drop: 0, relabel: 0, rename: 0, turn: 0, convert: 0, decide: 0 };
  let left = data.total;
  const after = data.classes.map(one => one[2]);
  const more = new Map();
  const touched = new Set([...rowsOf.keys(), ...choices.keys()]);
  for (const image of touched) {
    const now = outcome(image);
    const isPicture = !data.images[image][WHY];
    if (now && now.action in counts) counts[now.action] += 1;
    if (!now || now.action !== "drop") {
      (rowsOf.get(image) || []).forEach(at => {
        const action = data.rows[at][1][ACTION];
        if (!DECISIONS.includes(action)) counts[action] += 1;
      });
    }
    if (!now || !isPicture) continue;
    const from = data.images[image][CLASS];
    if (now.action === "drop") {
      left -= 1;
      if (from >= 0) after[from] -= 1;
    } else if (now.action === "relabel") {
      if (from >= 0) after[from] -= 1;
      const to = data.classes.findIndex(one => one[1] === now.to);
      if (to >= 0) after[to] += 1; else more.set(now.to, (more.get(now.to) || 0) + 1);
    }
  }
  const told = Object.entries(counts).filter(([, count]) => count > 0).map(([action, count]) => `${action} ${count}`);
  const before = data.classes.filter(one => one[2] > 0).length;
  const classes = after.filter(count => count > 0).length + more.size;
  const line = byId("told");
  line.replaceChildren(made("b", "", "Plan:"), ` ${told.join(", ") || "nothing"}; ${data.total} → ${left} images, ${before} → ${classes} classes.` +
    (counts.decide ? " Apply refuses to run until all decisions are made." : ""));
  byId("undo").disabled = history.length === 0;
}

// ---- Cards ---------------------------------------------------------------------------------

const cardsOf = new Map();
const MOST_CARDS = 24;
const SIGNS = { keep: "✓", drop: "✕", relabel: "→", decide: "?" };

function facts(image) {
  const of = data.images[image];
  const parts = [of[CLASS] < 0 ? "no class" : data.classes[of[CLASS]][0]];
  if (of[SPLIT] >= 0) parts.push(data.splits[of[SPLIT]]);
  if (of[WIDTH]) parts.push(`${of[WIDTH]}×${of[HEIGHT]}`);
  parts.push(bytes(of[BYTES]));
  return parts.join(" · ");
}

// The small picture; where the page has none, the file itself, as the card comes into view.
function source(image) {
  if (thumbnails[image]) return "data:image/jpeg;base64," + thumbnails[image];
  return data.images[image][WHY] ? "" : data.images[image][ADDRESS];
}

function picture(image, address) {
  const img = made("img");
  img.alt = data.images[image][PATH];
  img.decoding = "async";
  img.loading = "lazy";
  img.src = address;
  return img;
}

function actions(image) {
  const group = made("div", "acts");
  group.setAttribute("role", "group");
  group.setAttribute("aria-label", "Decision for " + data.images[image][PATH]);
  for (const [action, label] of [["keep", "Keep"], ["drop", "Drop"], ["relabel", "Relabel"]]) {
    const button = made("button", "", label);
    button.type = "button";
    button.dataset.action = action;
    group.append(button);
  }
  return group;
}

function card(image, tie, isSmall) {
  const item = made("li", "card");
  item.dataset.image = image;
  const look = made("button", "look");
  look.type = "button";
  const address = source(image);
  if (address) look.append(picture(image, address));
  else look.append(made("span", "pale", data.images[image][WHY] || "no thumbnail"));
  look.setAttribute("aria-label", ["View " + data.images[image][PATH], look.textContent].filter(Boolean).join(": "));
  const about = made("div", "about");
  const path = data.images[image][PATH];
  const cut = path.lastIndexOf("/") + 1;
  const name = made("p", "name");
  const isolated = made("bdi");
  isolated.append(made("span", "", path.slice(0, cut)), document.createElement("wbr"), path.slice(cut));
  name.append(isolated);
  about.append(name);
  if (!isSmall) about.append(made("p", "pale", facts(image)));
  if (tie) about.append(made("p", "", tie));
  about.append(made("p", "state"));
  item.append(look, about, actions(image));
  draw(item, image);
  if (!cardsOf.has(image)) cardsOf.set(image, new Set());
  cardsOf.get(image).add(item);
  return item;
}

// Shows what becomes of an image.
function draw(element, image) {
  const [own, proposed] = [choices.get(image), proposal(image)];
  const now = own || proposed;
  element.classList.toggle("drop", now?.action === "drop");
  element.classList.toggle("open", now?.action === "decide");
  const state = find(".state", element);
  const to = now?.to && now.action === "relabel" ? " to " + className(now.to) : "";
  const why = proposed && !own ? ": " + proposed.reason : "";
  const word = now?.action === "decide" ? "decide" : own ? "you: " + now.action + to : now ? "proposed: " + now.action + to : "";
  state.textContent = word + why;
  state.classList.toggle("proposed", !own && Boolean(now));
  state.dataset.sign = SIGNS[now?.action] || "";
  state.hidden = !now;
  for (const button of all("[data-action]", element)) {
    const action = button.dataset.action;
    button.setAttribute("aria-pressed", String(own?.action === action));
    if (!own && proposed?.action === action) button.dataset.proposed = ""; else delete button.dataset.proposed;
  }
}

const imagesOf = list => list.dataset.images.split(",").map(Number);

// Fills a list with its first cards.
function mount(list, most = MOST_CARDS) {
  const images = imagesOf(list);
  const there = all(".card", list).length;
  if (there >= Math.min(most, images.length)) return;
  const ties = list.nextElementSibling?.classList.contains("ties") ? JSON.parse(list.nextElementSibling.textContent) : [];
  find(".more", list)?.remove();
  const isSmall = list.classList.contains("small");
  const part = document.createDocumentFragment();
  images.slice(there, most).forEach((image, at) => part.append(card(image, ties[there + at], isSmall)));
  list.append(part);
  if (images.length > most) {
    const item = made("li", "more");
    const button = made("button", "", `Show ${images.length - most} more`);
    button.type = "button";
    button.addEventListener("click", () => {
      mount(list, images.length);
      find(".look", all(".card", list)[most])?.focus();
    });
    item.append(button);
    list.append(item);
  }
}

// Drawn as they come into view.
const watcher = new IntersectionObserver(entries => {
  for (const entry of entries) {
    if (entry.isIntersecting) {
      watcher.unobserve(entry.target);
      all(".cards", entry.target).forEach(list => mount(list));
    }
  }
}, { rootMargin: "900px 0px" });

// How high blocks that are not drawn yet will be, so that the page does not jump while it is scrolled.
function size() {
  const width = byId("main").clientWidth;
  for (const block of all(".block")) {
    let sum = 0;
    for (const one of block.children) {
      const list = find(".cards", one);
      if (one.hidden) continue;
      sum += 110;
      if (!list) continue;
      const [each, height] = list.classList.contains("small") ? [156, 215] : [244, 320];
      const count = Math.min(list.dataset.images.split(",").length, MOST_CARDS);
      sum += Math.ceil(count / Math.max(1, Math.floor(width / each))) * height;
    }
    block.style.containIntrinsicSize = `auto ${sum}px`;
  }
}

// ---- The viewer ----------------------------------------------------------------------------

const viewer = byId("viewer");
const stage = find(".stage", viewer);
let viewed = null;
let ticking = 0;

// The image that this one is compared with.
function partner(list, image) {
  if (list.classList.contains("small")) return -1;
  const images = imagesOf(list);
  const keep = list.dataset.keep === undefined ? images[0] : Number(list.dataset.keep);
  if (keep !== image) return keep;
  return images.length > 1 ? images.find(one => one !== image) : -1;
}

function full(image) {
  const address = data.images[image][ADDRESS];
  const img = picture(image, address || source(image));
  img.loading = "eager";
  img.addEventListener("error", () => {
    if (thumbnails[image] && !img.src.startsWith("data:")) {
      img.src = source(image);
      byId("noted").textContent = "A file is not where it was when this page was made: its thumbnail is shown.";
    }
  });
  return img;
}

function view(list, image) {
  viewed = { list, image, other: partner(list, image), mode: viewed?.mode || "beside" };
  if (!viewer.open) viewer.showModal();
  byId("noted").textContent = data.images[image][ADDRESS] ? "" : "The collection is an archive: thumbnails are shown.";
  show(viewed.mode);
}

function caption(image) {
  const element = made("div", "caption");
  element.append(made("bdi", "", data.images[image][PATH]), made("span", "pale", "  " + facts(image)), made("p", "state"), actions(image));
  element.dataset.image = image;
  draw(element, image);
  return element;
}

function show(mode) {
  clearInterval(ticking);
  const isPair = viewed.other >= 0;
  if (!isPair) mode = "beside";
  if (isPair) viewed.mode = mode;
  all("[data-mode]", viewer).forEach(button => {
    button.setAttribute("aria-pressed", String(button.dataset.mode === mode));
    button.disabled = !isPair;
  });
  byId("viewed").textContent = data.images[viewed.image][PATH];
  stage.className = "stage " + (isPair ? mode === "beside" ? "" : "over " + mode : "one");
  const images = isPair ? [viewed.image, viewed.other] : [viewed.image];
  const figures = mode === "beside"
    ? images.map(image => figure([image]))
    : [figure(images)];
  stage.replaceChildren(...figures);
  if (mode === "difference") byId("noted").textContent = "Black where both are the same; differences are shown three times as bright. Both are stretched to the same shape.";
  if (mode === "flicker") {
    byId("noted").textContent = "The images alternate once a second; the space bar switches by hand.";
    if (!matchMedia("(prefers-reduced-motion: reduce)").matches) ticking = setInterval(flip, 1000);
  }
}

function figure(images) {
  const element = made("figure");
  const frame = made("div", "frame");
  images.forEach(image => frame.append(full(image)));
  const of = data.images[images[0]];
  frame.style.setProperty("--shape", `${of[WIDTH] || 1} / ${of[HEIGHT] || 1}`);
  const captions = made("div", "captions");
  captions.append(...images.map(caption));
  element.append(frame, captions);
  return element;
}

function flip() { find(".frame", stage)?.classList.toggle("other"); }

function drawViewed() { all(".caption", stage).forEach(element => draw(element, Number(element.dataset.image))); }

viewer.addEventListener("close", () => {
  clearInterval(ticking);
  stage.replaceChildren();
  const back = viewed;
  viewed = null;
  if (back) find(`.card[data-image="${back.image}"] .look`, back.list)?.focus();
});
byId("shut").addEventListener("click", () => viewer.close());
all("[data-mode]", viewer).forEach(button => button.addEventListener("click", () => show(button.dataset.mode)));

// ---- Relabel -------------------------------------------------------------------------------

const labels = byId("labels");
let labelled = null;

for (const [name, cell] of data.classes) {
  const option = made("option", "", name);
  option.value = cell;
  byId("class").append(option);
}

function relabel(image) {
  labelled = image;
  byId("labelled").textContent = "Relabel " + data.images[image][PATH];
  const now = outcome(image);
  byId("class").value = now?.action === "relabel" ? now.to : classCell(image);
  byId("other").value = "";
  labels.returnValue = "";
  labels.showModal();
  byId("class").focus();
}

labels.addEventListener("close", () => {
  const image = labelled;
  labelled = null;
  if (labels.returnValue !== "relabel" || image === null) return;
  const typed = byId("other").value.trim();
  if (typed.includes("/") || typed === "." || typed === "..") {
    say("A class cannot be called " + typed + ": nothing was changed.");
    return;
  }
  const to = typed ? guarded(typed) : byId("class").value;
  if (!to) return;
  choose([image], to === classCell(image) ? { action: "keep", to: "" } : { action: "relabel", to });
});
byId("class").addEventListener("dblclick", () => labels.close("relabel"));
byId("class").addEventListener("keydown", event => {
  if (event.key === "Enter") {
    event.preventDefault();
    labels.close("relabel");
  }
});

// A second press of the same button takes the choice back.
function act(image, action) {
  if (action === "relabel") relabel(image);
  else choose([image], choices.get(image)?.action === action ? undefined : { action, to: "" });
}

document.addEventListener("click", event => {
  const button = event.target.closest("[data-action]");
  if (button) {
    act(Number(button.closest("[data-image]").dataset.image), button.dataset.action);
    return;
  }
  const look = event.target.closest(".look");
  if (look) view(look.closest(".cards"), Number(look.closest(".card").dataset.image));
});
byId("undo").addEventListener("click", undo);

// ---- Keys ----------------------------------------------------------------------------------

const isShown = element => !element.closest("[hidden]");

// Goes to the card so many further on, across lists.
function step(by) {
  const lists = all(".cards").filter(isShown);
  const here = document.activeElement?.closest(".card");
  let at = here ? lists.indexOf(here.closest(".cards")) : by > 0 ? -1 : lists.length;
  if (here) {
    const cards = all(".card", lists[at]);
    const next = cards[cards.indexOf(here) + by];
    if (next) return focusOn(next);
  }
  at += by;
  if (!lists[at]) return;
  mount(lists[at]);
  const cards = all(".card", lists[at]);
  focusOn(by > 0 ? cards[0] : cards[cards.length - 1]);
}

function focusOn(card) {
  find(".look", card).focus({ preventScroll: true });
  card.scrollIntoView({ block: "center" });
}

document.addEventListener("keydown", event => {
  if (event.ctrlKey || event.metaKey || event.altKey || !byId("withkeys").checked) return;
  if (event.target.closest("input, select, textarea") || labels.open || byId("help").open) return;
  const key = event.key.toLowerCase();
  const image = viewer.open ? viewed?.image : Number(document.activeElement?.closest(".card")?.dataset.image ?? -1);
  const decided = { k: "keep", d: "drop", r: "relabel" }[key];
  const mode = { f: "flicker", x: "difference", b: "beside" }[key];
  if (decided && image >= 0) act(image, decided);
  else if (key === "u") undo();
  else if (viewer.open && mode) show(mode);
  else if (viewer.open && key === " " && viewed.mode === "flicker") flip();
  else if (viewer.open && (key === "n" || key === "p")) turn(key === "n" ? 1 : -1);
  else if (!viewer.open && (key === "n" || key === "p")) step(key === "n" ? 1 : -1);
  else if (!viewer.open && key === "/") byId("words").focus();
  else return;
  event.preventDefault();
});

// The next image of the same case.
function turn(by) {
  const images = imagesOf(viewed.list);
  const next = images[images.indexOf(viewed.image) + by];
  if (next !== undefined) {
    mount(viewed.list, images.length);
    view(viewed.list, next);
  }
}

byId("keys").addEventListener("click", () => byId("help").showModal());

// ---- The filter ----------------------------------------------------------------------------

const cases = all(".case");
const textOf = new Map();

function words(one) {
  if (!textOf.has(one)) {
    const list = find(".cards", one);
    const of = list ? imagesOf(list).map(image => data.images[image][PATH] + " " + facts(image)) : [];
    const above = one.closest(".code")?.querySelector("h3").textContent || "";
    textOf.set(one, [find("h3, h4", one).textContent, above, ...of].join("\n").toLowerCase());
  }
  return textOf.get(one);
}

const WHICH = {
  all: () => true,
  proposed: image => rowsOf.has(image),
  open: image => outcome(image)?.action === "decide",
  yours: image => choices.has(image),
};

function filter() {
  const wanted = byId("words").value.toLowerCase().split(/\s+/).filter(Boolean);
  const which = byId("which").value;
  let shown = 0;
  for (const one of cases) {
    const list = find(".cards", one);
    const fits = which === "all" || (list && imagesOf(list).some(WHICH[which]));
    one.hidden = !(fits && wanted.every(word => words(one).includes(word)));
    if (!one.hidden) shown += 1;
  }
  for (const part of all(".block, .code")) part.hidden = !all(".case", part).some(one => !one.hidden);
  size();
  const isAll = shown === cases.length;
  byId("matches").textContent = isAll ? "" : `${shown} of ${cases.length} cases`;
}

let waiting = 0;
byId("words").addEventListener("input", () => {
  clearTimeout(waiting);
  waiting = setTimeout(filter, 120);
});
byId("which").addEventListener("change", filter);
find("form.filter").addEventListener("submit", event => event.preventDefault());

// ---- The plan ------------------------------------------------------------------------------

const quoted = cell => /[",\r\n]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell;
const line = cells => cells.map(quoted).join(",") + "\n";

// The row of a choice, in place of what was proposed.
function chosen(image, row) {
  const { action, to } = choices.get(image);
  return [
    cellOf(image), action, action === "keep" ? "" : classCell(image), action === "relabel" ? to : "",
    row ? row[GROUP] : "", "decided on the report page", "", data.images[image][DIGEST] || (row ? row[ROW_DIGEST] : ""),
  ];
}

// The plan as the program writes it: what is proposed, changed where a person chose; what they added comes last.
function plan() {
  const done = new Set();
  const rows = [];
  for (const [image, row] of data.rows) {
    const own = choices.get(image);
    const decides = DECISIONS.includes(row[ACTION]);
    if (!own || !decides && own.action !== "drop") rows.push(row);
    else if (!done.has(image)) {
      done.add(image);
      rows.push(chosen(image, row));
    }
  }
  const added = [...choices.keys()].filter(image => !done.has(image));
  added.sort((a, b) => cellOf(a) < cellOf(b) ? -1 : 1);
  added.forEach(image => rows.push(chosen(image)));
  return data.comments.map(comment => line([comment])).join("") + line(data.head) + rows.map(line).join("") + strangers.map(line).join("");
}

byId("save").addEventListener("click", () => {
  const link = made("a");
  link.href = URL.createObjectURL(new Blob([plan()], { type: "text/csv" }));
  link.download = "plan.csv";
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  say("Saved as plan.csv. Then: " + JSON.parse(byId("apply").textContent));
});

// The rows of a CSV, whatever stands between its cells.
function parsed(text) {
  text = text.replace(/^\ufeff/, "");
  const head = text.split(/\r?\n/).find(one => !/^[ "]*#/.test(one) && /path/i.test(one) && /action/i.test(one)) || "";
  const between = ["\t", ";", ","].reduce((best, one) => head.split(one).length > head.split(best).length ? one : best, ",");
  const rows = [];
  let [row, cell, inside] = [[], "", false];
  const end = () => { row.push(cell); cell = ""; };
  for (let at = 0; at < text.length; at += 1) {
    const letter = text[at];
    if (inside) {
      if (letter !== '"') cell += letter;
      else if (text[at + 1] === '"') { cell += '"'; at += 1; } else inside = false;
    } else if (letter === '"' && cell === "") inside = true;
    else if (letter === between) end();
    else if (letter === "\n" || letter === "\r") {
      if (letter === "\r" && text[at + 1] === "\n") at += 1;
      end();
      rows.push(row);
      row = [];
    } else cell += letter;
  }
  if (cell !== "" || row.length) { end(); rows.push(row); }
  return rows.filter(one => one.some(part => part.trim()) && !one[0].trimStart().startsWith("#"));
}

// Takes over a plan: what it says is chosen, what it no longer has is kept.
function load(text, name) {
  const [head, ...rows] = parsed(text);
  const columns = (head || []).map(cell => cell.trim().toLowerCase());
  if (!columns.includes("path") || !columns.includes("action")) {
    say(name + " is no plan: it has no columns path and action. Nothing was changed.");
    return;
  }
  const before = [...new Set([...choices.keys(), ...rowsOf.keys()])];
  const wanted = new Map();
  const foreign = [];
  const wrong = [];
  for (const row of rows) {
    const of = data.head.map(column => row[columns.indexOf(column)] ?? "");
    const action = of[ACTION].trim().toLowerCase();
    const image = imageOfCell.get(of[ROW_PATH]);
    if (!["keep", "drop", "relabel", "rename", "rotate", "convert", "decide"].includes(action)) wrong.push(action);
    else if (image === undefined) foreign.push(of);
    else if (DECISIONS.includes(action)) {
      const known = wanted.get(image);
      // As the program reads several rows of one file: dropping wins.
      if (!known || action === "drop") wanted.set(image, { action, to: action === "relabel" ? of[TO] : "" });
    } else if (!(rowsOf.get(image) || []).some(at => data.rows[at][1][ACTION] === action)) foreign.push(of);
  }
  if (wrong.length) {
    say(`${name}: the action “${wrong[0]}” is unknown. Nothing was changed.`);
    return;
  }
  const touched = [...new Set([...before, ...wanted.keys()])];
  history.push({ before: touched.map(image => [image, choices.get(image)]), strangers });
  choices.clear();
  for (const image of rowsOf.keys()) {
    const proposed = proposal(image);
    if (proposed && !wanted.has(image) && proposed.action !== "keep") choices.set(image, { action: "keep", to: "" });
  }
  for (const [image, choice] of wanted) {
    const proposed = proposal(image);
    const isSame = proposed && proposed.action === choice.action && (choice.action !== "relabel" || proposed.to === choice.to);
    if (!isSame) choices.set(image, choice);
  }
  strangers = foreign;
  changed([...cardsOf.keys()]);
  say(`${name}: ${rows.length} rows taken over` + (foreign.length ? `, ${foreign.length} of them for files that are not on this page` : "") + ".");
}

byId("load").addEventListener("click", () => byId("file").click());
byId("file").addEventListener("change", async event => {
  const [file] = event.target.files;
  if (file) load(await file.text(), file.name);
  event.target.value = "";
});

// ---- Beginning -----------------------------------------------------------------------------

recall();
tell();
size();
all(".block").forEach(block => watcher.observe(block));
// What is printed shows the first images of each case.
addEventListener("beforeprint", () => all(".cards").slice(0, 200).forEach(list => mount(list, 6)));
})();
