// A walk in the hand, from this phone alone: it was taken along once with a signal, and what is typed lies in the phone's own
// database before the next plot is asked.

import { all, bringIn, get, put, recordsOf, showKept } from "./kept.js";
import { WAYS, nextFrom, pathOf } from "./path.js";
import { canScan, scan } from "./scan.js";
import { far, meanOf, plain, read, shown, today } from "./values.js";

const box = document.getElementById("field");
const name = box.dataset.round; // the rounds that are walked at once: "5", or "5,7"
let data = null; // what was taken along
let answers = new Map(); // by round and plot: the newest record of this phone
let at = 0; // in the path
let ask = null; // the trait being asked
let typed = "", note = "", open = ""; // open: reasons, note, guide or scan
let last = null; // the record that Undo takes back
let said = "", wrong = false, doubted = ""; // what is wrong; a value far from the others, asked about once
let state = "";
let busy = false; // a record is on its way into the database: keys wait for the next plot
let ahead = [];
let scanned = null; // what a scanner types: it begins with the code of the trial
let camera = null;

const make = (tag, given = {}, ...inside) => {
  const made = document.createElementNS(tag === "svg" || tag === "rect" ? "http://www.w3.org/2000/svg" : "http://www.w3.org/1999/xhtml", tag);
  for (const [key, value] of Object.entries(given)) {
    if (key.startsWith("on")) made.addEventListener(key.slice(2), value);
    else if (key === "drawn") made.innerHTML = value;
    else if (value === true) made.setAttribute(key, "");
    else if (value !== false && value != null) made.setAttribute(key, value);
  }
  made.append(...inside.flat(2).filter((x) => x != null && x !== false));
  return made;
};
const button = (text, act, more = {}) => make("button", { type: "button", onclick: act, ...more }, text);

const newKey = () => crypto.randomUUID?.() || "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (c) =>
  (Number(c) ^ (crypto.getRandomValues(new Uint8Array(1))[0] & (15 >> (Number(c) / 4)))).toString(16));
let way = [];
const path = () => way;
const setWay = (key) => { data.way = key; way = pathOf(data.plots, key); };
const here = () => path()[at];
const keyOf = (a, plot) => `${a.round} ${plot.id}`;
const answerOf = (a, plot) => answers.get(keyOf(a, plot));
const asksOf = (plot) => data.asks.filter((a) => a.plots.includes(plot.id));
const has = (a, plot) => answers.has(keyOf(a, plot)) || a.taken.includes(plot.id);
const whole = (plot) => asksOf(plot).every((a) => has(a, plot));
const several = () => data.asks.length > 1;

async function start() {
  const before = await get("rounds", name);
  try {
    const answer = await fetch(box.dataset.data, { headers: { "HX-Request": "true" }, cache: "no-store" });
    if (answer.ok) {
      data = { ...(await answer.json()), asked: before?.asked || [], draft: before?.draft || null, way: before?.way || "laid" };
      await put("rounds", data);
    } else state = "locked";
  } catch { /* no signal: what was taken along serves */ }
  data = data || before;
  if (!data) {
    box.replaceChildren(make("h1", {}, "This round is not on this phone"), make("p", {}, "Open it once with a signal; from then on it works without one."));
    return;
  }
  if (!data.plots.length) {
    box.replaceChildren(make("h1", {}, "Nothing to walk"), make("p", {}, "Every plot of this round is left out."));
    return;
  }
  setWay(data.way);
  for (const a of data.asks) for (const r of await recordsOf(a.round)) remember(r);
  const draft = data.draft && path().findIndex((p) => p.id === data.draft.plot);
  at = draft >= 0 && draft != null ? draft : Math.max(0, path().findIndex((p) => !whole(p)));
  ask = data.draft ? data.asks.find((a) => a.round === data.draft.round) : null;
  chooseAsk();
  draw();
  sync();
}

function remember(record) {
  const key = `${record.round} ${record.plot}`;
  if (record.again) { if (!data.asked.includes(key)) data.asked.push(key); return; }
  if (record.undone) answers.delete(key);
  else answers.set(key, record);
}

// The first trait of this plot without a value; the first of all when it has every one.
function chooseAsk() {
  const mine = asksOf(here());
  const left = toRepeat();
  if (left.length && left.some(([, plot]) => plot.id === here().id)) ask = left.find(([, plot]) => plot.id === here().id)[0];
  else if (!ask || !mine.includes(ask) || has(ask, here())) ask = mine.find((a) => !has(a, here())) || mine[0];
}

// Keep: into the database first, and only then the next plot.
async function keep(seen) {
  busy = true;
  try { await keepNow(seen); } finally { busy = false; }
  while (ahead.length && !busy) await play(ahead.shift());
}

async function keepNow(seen) {
  const plot = here();
  const earlier = answerOf(ask, plot);
  const record = {
    key: newKey(), round: ask.round, url: ask.bring, who: data.who, plot: plot.id, plotNumber: plot.number, note: note.trim().slice(0, 300),
    made: Date.now(), before: earlier?.key || ask.stands[plot.id] || "", number: null, day: null, cause: "", looked: null, parts: null,
    guide: ask.guide?.version ?? null, undone: false, again: repeats(), ...seen,
  };
  try { await put("records", record); } catch {
    tell("This phone could not keep it: its storage is full or closed to this page. Write it down, and free some room.", true);
    draw();
    return;
  }
  remember(record);
  last = record.again ? null : record;
  if (record.again || data.draft) { data.draft = null; await put("rounds", data); }
  tell("", false);
  typed = ""; note = ""; open = open === "guide" ? "guide" : ""; doubted = "";
  next();
  draw();
  sync();
}

async function undo() {
  if (busy) return;
  if (data.draft?.plot === here().id && data.draft.parts.length) {
    data.draft.parts.pop();
    await put("rounds", data);
    return draw();
  }
  if (!last) return;
  busy = true;
  const back = { ...last, key: newKey(), before: last.key, undone: true, made: Date.now(), note: "" };
  await put("records", back);
  answers.delete(`${back.round} ${back.plot}`);
  const a = data.asks.find((x) => x.round === back.round);
  a.taken = a.taken.filter((id) => id !== back.plot);
  at = path().findIndex((p) => p.id === back.plot);
  ask = a;
  last = null;
  typed = "";
  tell(`Plot ${back.plotNumber} is asked again.`, false);
  draw();
  sync();
  busy = false;
  while (ahead.length && !busy) await play(ahead.shift());
}

// When every plot has its values, some are asked again without a word: how the eye agrees with itself.
function toRepeat() {
  if (!path().every(whole)) return [];
  return data.asks.flatMap((a) => path().filter((p) => a.again.includes(p.id) && !data.asked.includes(keyOf(a, p))).map((p) => [a, p]));
}
const repeats = () => toRepeat().some(([a, p]) => a === ask && p.id === here().id);

function next() {
  const more = asksOf(here()).find((a) => !has(a, here()));
  if (more) { ask = more; return; }
  const left = toRepeat();
  if (left.length) { [ask] = left[0]; at = path().findIndex((p) => p.id === left[0][1].id); return; }
  const found = nextFrom(path(), at, data.way, whole);
  at = found >= 0 ? found : Math.min(at + 1, path().length - 1);
  ask = null; // a plot begins with its first trait
  chooseAsk();
}

function tell(text, isWrong) { said = text; wrong = isWrong; }
const refuse = (text) => { tell(text, true); draw(); };
const numbers = () => path().filter((p) => p !== here()).map((p) => answerOf(ask, p)?.number).filter((n) => n != null);
const sampled = () => ask.samples > 1 && ["measure", "count", "percent", "score"].includes(ask.kind);

function send() {
  const found = read(typed, ask);
  if (found.wrong) return refuse(found.wrong);
  const { number } = found.value;
  const others = sampled() ? parts() : numbers();
  if (number != null && doubted !== typed && ask.kind !== "category" && ask.kind !== "yesno" && far(number, others)) {
    doubted = typed;
    return refuse(`${plain(number)} ${ask.unit} is far from the other ${sampled() ? "plants" : "plots"}. Save it again if it is right.`);
  }
  return sampled() && !repeats() ? addPart(number) : keep(found.value);
}

// Single plants: each lies in the database at once, and their mean becomes the plot's value.
const parts = () => (data.draft?.plot === here().id && data.draft.round === ask.round ? data.draft.parts : []);
async function addPart(number) {
  const some = [...parts(), number];
  if (some.length >= ask.samples) return keep({ number: meanOf(some).mean, parts: some });
  busy = true;
  data.draft = { round: ask.round, plot: here().id, parts: some };
  try { await put("rounds", data); } finally { busy = false; }
  typed = ""; doubted = "";
  tell("", false);
  draw();
  while (ahead.length && !busy) await play(ahead.shift());
  return null;
}

const press = (sign) => { typed += sign; draw(); };
const tap = (value) => { typed = String(value); return send(); };
const toggle = (what) => { open = open === what ? "" : what; draw(); };

function go(index) {
  if (index < 0 || index >= path().length) return;
  at = index; typed = ""; ask = null; tell("", false);
  chooseAsk();
  draw();
}
function jump(text) {
  const number = text.trim().replace(new RegExp(`^${data.code}`, "i"), "").toLowerCase();
  if (/^T\d+-/i.test(number)) return refuse("That stake is of another trial.");
  const found = path().findIndex((p) => p.number.toLowerCase() === number);
  return found < 0 ? refuse(`There is no plot ${text.trim()} in this round.`) : go(found);
}
document.addEventListener("plot-chosen", (event) => data?.plots.length && jump(event.detail));

async function readCode() {
  if (open === "scan") { camera?.stop(); open = ""; return draw(); }
  open = "scan";
  draw();
  try {
    camera = scan(document.getElementById("camera"));
    const code = await camera.code;
    open = "";
    return code ? jump(code) : draw();
  } catch {
    open = "";
    return refuse("The camera could not be used. Type the plot's number.");
  }
}

// A picture is shrunk here, which leaves behind where it was taken, unless that is wished: then it is kept as it is.
let place = false;
async function picture(file) {
  if (!file) return null;
  const plot = here();
  try {
    const photo = place ? file : await shrunk(file);
    await put("records", { key: newKey(), photo, url: plot.pictures, who: data.who, plot: plot.id, plotNumber: plot.number, made: Date.now(), note: note.trim().slice(0, 200), place });
    tell(`The picture of plot ${plot.number} is kept.`, false);
  } catch {
    tell("That picture could not be kept. Expected JPEG, PNG or WebP, and room on this phone.", true);
  }
  open = "";
  draw();
  return sync();
}
async function shrunk(file) {
  const drawn = await createImageBitmap(file);
  const scale = Math.min(1, 1600 / Math.max(drawn.width, drawn.height));
  const canvas = Object.assign(document.createElement("canvas"), { width: Math.round(drawn.width * scale), height: Math.round(drawn.height * scale) });
  canvas.getContext("2d").drawImage(drawn, 0, 0, canvas.width, canvas.height);
  return new Promise((done, failed) => canvas.toBlob((blob) => (blob ? done(blob) : failed(new Error("no picture"))), "image/jpeg", 0.82));
}
const photoBox = () => make("div", { class: "photo-box" },
  make("label", { class: "line", for: "photo" }, "Take a picture"),
  make("input", { id: "photo", type: "file", accept: "image/jpeg,image/png,image/webp", capture: "environment", class: "sr-only", onchange: (e) => picture(e.target.files[0]) }),
  make("label", { class: "tick" }, make("input", { type: "checkbox", checked: place, onchange: (e) => { place = e.target.checked; } }), "keep where it was taken"));

// Small plan for a hand that walks; on a wide screen the ground beside it is marked instead.
function ground() {
  document.querySelectorAll("#ground .plan a[data-plot]").forEach((tag) => {
    const plot = data.plots.find((p) => p.id === Number(tag.dataset.plot));
    tag.classList.toggle("scored", Boolean(plot && whole(plot)));
    tag.classList.toggle("chosen", plot === here());
  });
  if (new Set(data.plots.map((p) => p.bed)).size > 1) return null;
  const left = Math.min(...data.plots.map((p) => p.x)), top = Math.min(...data.plots.map((p) => p.y));
  const wide = Math.max(...data.plots.map((p) => p.x + p.length)) - left, high = Math.max(...data.plots.map((p) => p.y + p.width)) - top;
  return make("svg", { class: "mini", viewBox: `${left} ${top} ${wide || 1} ${high || 1}`, "aria-hidden": "true" }, path().map((p, n) =>
    make("rect", { x: p.x + 0.05 * p.length, y: p.y + 0.05 * p.width, width: 0.9 * p.length, height: 0.9 * p.width,
      class: n === at ? "here" : whole(p) ? "done" : "", onclick: () => go(n) })));
}

function pad() {
  const digits = "123456789".split("");
  if (ask.kind === "date") return make("div", { class: "pad days" }, button("Seen today", () => tap(today())), button("Not yet", () => keep({ cause: "not_reached" })));
  if (ask.kind === "yesno") return make("div", { class: "pad days" }, button("Yes", () => tap(1)), button("No", () => tap(0)));
  if (ask.kind === "category") return make("div", { class: "pad days" }, ask.choices.map((words, n) => button(words, () => tap(n + 1))));
  if (ask.kind === "score") return make("div", { class: "pad nine" }, digits.map((d) => button(d, () => tap(d))));
  const end = ask.kind === "affected" ? button("/", () => press("/")) : button(".", () => press("."), { disabled: !ask.decimals });
  return make("div", { class: "pad" }, digits.map((d) => button(d, () => press(d))), button("clear", () => { typed = ""; draw(); }, { class: "word" }), button("0", () => press("0")), end);
}

function standing(silent) {
  const mine = silent ? null : answerOf(ask, here());
  const own = mine ? shown(mine, ask, data.causes) : silent ? "" : ask.own[here().id];
  if (own) return make("p", { class: "kept" }, ask.closed ? `On record: ${own}. A new value corrects it; this one stays in the diary.` : `You have ${own} here. A new value corrects it.`);
  if (!silent && ask.taken.includes(here().id)) return make("p", { class: "kept" }, "This plot has a value. Another one is kept beside it, to be settled.");
  return null;
}

function sampleLine() {
  if (!sampled() || repeats()) return null;
  const some = parts();
  const { mean, se } = some.length ? meanOf(some) : {};
  return make("div", { class: "sample" }, make("p", {}, make("b", {}, `Plant ${some.length + 1} of ${ask.samples}`),
    some.length ? ` ${some.map(plain).join(", ")}. Mean ${plain(Math.round(mean * 100) / 100)}${se != null ? ` ± ${plain(Math.round(se * 100) / 100)}` : ""} ${ask.unit}` : ""),
  some.length ? button(`Save ${some.length === 1 ? "this one" : `these ${some.length}`}`, () => keep({ number: mean, parts: some }), { class: "line" }) : null);
}

function guideBox() {
  const { anchors, alike } = ask.guide;
  return make("div", { class: "guide", tabindex: "0", role: "group", "aria-label": "Guide" },
    make("ul", { class: "anchors" }, anchors.map((a) => make("li", {}, make("b", {}, plain(a.at)), a.drawing ? make("span", { class: "drawn", drawn: a.drawing }) : null, make("span", {}, a.words)))),
    alike.length ? make("dl", { class: "alike" }, make("dt", { class: "title" }, "Can be taken for it"), alike.map((a) => [make("dt", {}, a.what), make("dd", {}, a.tell)])) : null);
}

function column() {
  if (!several() || repeats()) return null;
  return make("ol", { class: "column" }, asksOf(here()).map((a) => {
    const mine = answerOf(a, here());
    const text = mine ? shown(mine, a, data.causes) : a.own[here().id] || (a.taken.includes(here().id) ? "has a value" : "–");
    return make("li", {}, button([make("span", {}, a.trait), make("b", {}, text)], () => { ask = a; typed = ""; tell("", false); draw(); }, { "aria-current": a === ask && "true" }));
  }));
}

function draw() {
  const plots = path(), plot = here();
  const low = Math.max(0, Math.min(at - 2, plots.length - 5));
  const silent = repeats();
  const done = plots.filter(whole).length;
  const date = ask.kind === "date";
  const choice = ask.kind === "yesno" || ask.kind === "category";
  box.classList.toggle("several", several());
  box.replaceChildren(...[
    make("nav", { class: "strip", "aria-label": "Plots along the path" }, plots.slice(low, low + 5).map((p, n) =>
      button([p.number, whole(p) && make("span", { class: "sr-only" }, ", has a value")], () => go(low + n), { class: `strip-tag${p === plot ? " here" : whole(p) ? " done" : ""}`, "aria-current": p === plot && "true" }))),
    column(),
    make("div", { class: "ask" }, make("h1", { id: "bench-title" }, `${ask.trait}${ask.unit ? `, ${ask.unit}` : ""}`),
      ask.guide && button("Guide", () => toggle("guide"), { class: "quiet", "aria-expanded": String(open === "guide") }),
      ask.method && open !== "guide" && make("p", { class: "method" }, ask.method)),
    open === "guide" && ask.guide && guideBox(),
    ask.earlier[plot.id] && make("p", { class: "earlier" }, `Earlier: ${ask.earlier[plot.id]}`),
    data.held?.[plot.id] && make("p", { class: "warned", role: "alert" }, data.held[plot.id]),
    sampleLine(),
    make("form", { id: "field-form", novalidate: true, onsubmit: (e) => { e.preventDefault(); send(); } },
      make("div", { class: `answer${choice ? " sr-only" : ""}` }, make("label", { class: "sr-only", for: "value" }, `${ask.trait} of plot ${plot.number}`),
        make("input", { id: "value", class: "big", value: typed, inputmode: date ? null : "none", type: date ? "date" : "text", max: date ? today() : null, autocomplete: "off", "aria-invalid": wrong && "true", "aria-describedby": wrong ? "said" : null, oninput: (e) => { typed = e.target.value; } }),
        !date && make("span", { class: "big-unit" }, ask.kind === "affected" ? `of ${ask.samples} plants` : ask.unit)),
      said && make("p", { id: "said", class: wrong ? "error" : "kept", role: wrong ? "alert" : "status" }, said),
      standing(silent),
      open !== "reasons" && pad(),
      make("div", { class: "pad three" }, button("No value…", () => toggle("reasons"), { class: "line", "aria-expanded": String(open === "reasons") }), button("Note", () => toggle("note"), { class: "line", "aria-expanded": String(open === "note") }), button("Photo", () => toggle("photo"), { class: "line", "aria-expanded": String(open === "photo") })),
      open === "photo" && photoBox(),
      open === "reasons" && make("div", { class: "reasons" }, data.causes.map(([code, words], n) => button([make("kbd", {}, String(n + 1)), ` ${words}`], () => keep({ cause: code }), { class: "line" }))),
      open === "note" && make("div", {}, make("label", { for: "note" }, "Note"), make("input", { id: "note", type: "text", maxlength: 300, autocomplete: "off", value: note, oninput: (e) => { note = e.target.value; } })),
      make("button", { class: "button main keep" }, "Save and go on")),
    make("p", { class: "foot" }, make("span", {}, done === plots.length && !toRepeat().length ? make("b", { class: "all-in" }, "Every plot has a value.") : `${done} of ${plots.length} plots`),
      (last || parts().length > 0) && button(parts().length ? "Undo the last plant" : `Undo plot ${last.plotNumber}`, undo, { class: "quiet" })),
    make("p", { class: "foot", id: "waiting", role: "status" }),
    make("div", { id: "camera" }),
    ground(),
    make("form", { class: "foot", onsubmit: (e) => { e.preventDefault(); jump(e.target.elements.to.value); } },
      make("label", { for: "to" }, "Go to plot"), make("input", { id: "to", name: "to", class: "jump-to", autocomplete: "off", maxlength: 80 }),
      canScan() && button(open === "scan" ? "Stop the camera" : "Scan a stake", readCode, { class: "line small" }),
      make("label", { for: "way", class: "sr-only" }, "Way through the plots"),
      make("select", { id: "way", class: "way-choice", onchange: (e) => changeWay(e.target.value) }, WAYS.map(([key, words]) => make("option", { value: key, selected: key === data.way }, words)))),
  ].filter(Boolean));
  const field = document.getElementById(open === "note" ? "note" : "value");
  field.focus({ preventScroll: true });
  if (field.type === "text") field.setSelectionRange(field.value.length, field.value.length); // what follows is typed behind it
  waiting();
}

async function changeWay(key) {
  const plot = here();
  setWay(key);
  at = path().indexOf(plot);
  await put("rounds", data);
  draw();
}

const WHY = {
  offline: "No signal: they are safe on this phone and go in by themselves.", locked: "You are no longer logged in: log in again, and they go in.",
  another: "They are another person's: that person has to log in.", broken: "The server could not take them: they stay here and are sent again.",
};
let turn = 0; // what was counted before the newest record is no longer said
async function waiting() {
  turn += 1;
  const mine = turn;
  const count = await showKept();
  const refused = (await all("records")).filter((r) => r.refused);
  const line = document.getElementById("waiting");
  if (!line || mine !== turn) return;
  const text = count ? `${count} kept on this phone only. ${WHY[state] || ""}` : "Everything is on the server.";
  line.replaceChildren(text, ...refused.slice(0, 3).map((r) => make("span", { class: "error" }, ` Plot ${r.plotNumber}: ${r.refused}`)));
  if (state === "locked" && count) line.append(" ", make("a", { href: "/people/log-in/", target: "_blank" }, "Log in"));
}

let again = 0;
async function sync() {
  clearTimeout(again);
  state = await bringIn(async (record, answer) => {
    const a = data.asks.find((x) => x.round === record.round);
    if (!a) return;
    const mine = answers.get(`${record.round} ${record.plot}`);
    if (answer.state !== "refused" && !record.again) {
      const stays = answer.stands && answer.state !== "rival";
      a.taken = a.taken.filter((id) => id !== record.plot).concat(answer.stands ? [record.plot] : []);
      if (stays) a.stands[record.plot] = answer.stands; else delete a.stands[record.plot];
      if (mine && mine.key === record.key) { a.own[record.plot] = stays ? shown(mine, a, data.causes) : ""; mine.key = answer.stands || mine.key; }
      if (record.undone && stays) a.own[record.plot] = "the value before it";
      else if (record.undone) delete a.own[record.plot];
    }
    if (answer.state === "rival") tell(`Plot ${record.plotNumber}: ${answer.said}`, false);
    await put("rounds", data);
  });
  if (said && !wrong) draw();
  await waiting();
  if (state) again = setTimeout(sync, state === "offline" ? 4000 : 15000);
}
window.addEventListener("online", sync);

// A key as if it were pressed on the page that has just been drawn.
async function play(key) {
  if (key === "Enter") return send();
  if (act(key)) return null;
  return ask.kind === "date" || key.length > 1 ? null : press(key);
}

function act(key) {
  if (scanned != null || (key === "T" && !typed)) return scanning(key);
  if (open === "reasons" && "1234".includes(key)) keep({ cause: data.causes[Number(key) - 1][0] });
  else if (key === "x") toggle("reasons");
  else if (key === "n") { open = "note"; draw(); }
  else if (key === "g" && ask.guide) toggle("guide");
  else if (key === "b") go(Math.max(0, at - 1));
  else if (key === "u") undo();
  else if (ask.kind === "yesno" && "yn".includes(key)) tap(key === "y" ? 1 : 0);
  else if (["score", "category", "yesno"].includes(ask.kind) && !sampled() && /^[0-9]$/.test(key)) tap(key);
  else return false;
  return true;
}

// A scanner types the stake's code and Enter, faster than a hand.
function scanning(key) {
  if (key === "Enter") { const code = scanned; scanned = null; jump(code); }
  else if (key.length === 1) scanned = (scanned || "") + key;
  else if (key === "Escape") scanned = null;
  return true;
}

document.addEventListener("keydown", (event) => {
  if (!data?.plots.length || event.ctrlKey || event.metaKey || event.altKey || document.getElementById("keys")?.open) return;
  if (event.target.matches("#note, #to, #jump, select, [type=date], [type=file], [type=checkbox]")) return;
  if (event.target.matches("button, a, summary") && event.key === "Enter" && scanned == null) return;
  if (busy) {
    if (event.key.length === 1 || event.key === "Enter") { ahead.push(event.key); event.preventDefault(); }
    return;
  }
  if (act(event.key)) event.preventDefault();
});

start();
