// A round in the hand, from this phone alone: it was taken along once with a signal, and what is typed lies in the phone's own
// database before the next plot is asked.

import { all, bringIn, get, put, recordsOf, showKept } from "./kept.js";

const box = document.getElementById("field");
const round = Number(box.dataset.round);
const url = box.dataset.bring;
let data = null; // what was taken along
let answers = new Map(); // by plot: the newest record of this phone, or what the server says stands
let at = 0;
let typed = "";
let note = "";
let open = ""; // reasons or note
let last = null; // the record that Undo takes back
let said = ""; // what is wrong, or what became of a record
let wrong = false;
let asked = ""; // a value far from the others, asked about once
let backwards = false;
let state = "";
let busy = false; // a record is on its way into the database: keys wait for the next plot
let ahead = [];
let askedTwice = new Set(); // plots that were asked a second time

const make = (tag, given = {}, ...inside) => {
  const made = document.createElementNS(tag === "svg" || tag === "rect" ? "http://www.w3.org/2000/svg" : "http://www.w3.org/1999/xhtml", tag);
  for (const [name, value] of Object.entries(given)) {
    if (name.startsWith("on")) made.addEventListener(name.slice(2), value);
    else if (value === true) made.setAttribute(name, "");
    else if (value !== false && value != null) made.setAttribute(name, value);
  }
  made.append(...inside.flat().filter((x) => x != null && x !== false));
  return made;
};

const newKey = () => crypto.randomUUID?.() || "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (c) =>
  (Number(c) ^ (crypto.getRandomValues(new Uint8Array(1))[0] & (15 >> (Number(c) / 4)))).toString(16));
const path = () => (backwards ? [...data.plots].reverse() : data.plots);
const shown = (a) => (a.cause ? data.causes.find(([code]) => code === a.cause)?.[1] : a.day || (a.number ?? a.own));
const has = (plot) => answers.has(plot.id) || Boolean(plot.stands);
const today = () => { const d = new Date(); return new Date(d - d.getTimezoneOffset() * 60000).toISOString().slice(0, 10); };

async function start() {
  try {
    const answer = await fetch(box.dataset.data, { headers: { "HX-Request": "true" }, cache: "no-store" });
    if (answer.ok) {
      data = { ...(await answer.json()), asked: (await get("rounds", round))?.asked || [] };
      await put("rounds", data);
    }
    else state = "locked";
  } catch { /* no signal: what was taken along serves */ }
  data = data || (await get("rounds", round));
  if (!data) {
    box.replaceChildren(make("h1", {}, "This round is not on this phone"), make("p", {}, "Open it once with a signal; from then on it works without one."));
    return;
  }
  askedTwice = new Set(data.asked || []);
  for (const r of await recordsOf(round)) remember(r);
  const free = path().findIndex((p) => !has(p));
  at = Math.max(0, free);
  draw();
  sync();
}

function remember(record) {
  if (record.again) { askedTwice.add(record.plot); return; }
  if (record.undone) answers.delete(record.plot);
  else answers.set(record.plot, record);
}

// Keep: into the database first, and only then the next plot.
async function keep(seen) {
  busy = true;
  try { await keepNow(seen); } finally { busy = false; }
  while (ahead.length && !busy) await play(ahead.shift());
}

async function keepNow(seen) {
  const plot = path()[at];
  const earlier = answers.get(plot.id);
  const record = { key: newKey(), round, url, who: data.who, plot: plot.id, plotNumber: plot.number, note: note.trim().slice(0, 300), made: Date.now(),
    before: earlier?.key || plot.stands || "", number: null, day: null, cause: "", undone: false, again: repeats(), ...seen };
  try { await put("records", record); } catch {
    tell("This phone could not keep it: its storage is full or closed to this page. Write it down, and free some room.", true);
    draw();
    return;
  }
  remember(record);
  last = record.again ? null : record;
  if (record.again) { data.asked = [...askedTwice]; await put("rounds", data); }
  tell("", false);
  typed = ""; note = ""; open = ""; asked = "";
  next();
  draw();
  sync();
}

async function undo() {
  if (!last || busy) return;
  busy = true;
  const back = { ...last, key: newKey(), before: last.key, undone: true, made: Date.now(), note: "" };
  await put("records", back);
  answers.delete(back.plot);
  at = path().findIndex((p) => p.id === back.plot);
  last = null;
  typed = "";
  tell(`Plot ${back.plotNumber} is asked again.`, false);
  draw();
  sync();
  busy = false;
  while (ahead.length && !busy) await play(ahead.shift());
}

// When every plot has a value, some are asked again without a word: how the eye agrees with itself.
const toRepeat = () => (path().every(has) ? (data.again || []).filter((id) => !askedTwice.has(id)) : []);
const repeats = () => toRepeat().includes(path()[at].id);

function next() {
  const left = toRepeat();
  if (left.length) { at = path().findIndex((p) => p.id === left[0]); return; }
  const order = [...path().keys()];
  const after = [...order.slice(at + 1), ...order.slice(0, at)];
  at = after.find((i) => !has(path()[i])) ?? Math.min(at + 1, path().length - 1);
}

function tell(text, isWrong) { said = text; wrong = isWrong; }

// Values far from the others are asked about once: median ± 5 robust standard deviations, as the server does it.
function far(value) {
  const others = [...answers.values()].map((a) => a.number).filter((n) => n != null).sort((a, b) => a - b);
  if (others.length < 6) return false;
  const median = (v) => (v.length % 2 ? v[(v.length - 1) / 2] : (v[v.length / 2 - 1] + v[v.length / 2]) / 2);
  const middle = median(others);
  const spread = Math.max(1.4826 * median(others.map((n) => Math.abs(n - middle)).sort((a, b) => a - b)), 0.05 * Math.abs(middle));
  return spread > 0 && Math.abs(value - middle) > 5 * spread;
}

function send() {
  const text = typed.trim().replace("−", "-");
  if (data.kind === "date") {
    if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return refuse("Expected the day on which it was first seen.");
    if (text > today()) return refuse("That day is still to come.");
    return keep({ day: text });
  }
  if (!/^[+-]?(\d+([.,]\d*)?|[.,]\d+)$/.test(text)) return refuse(text ? `Found “${text}”. Expected a number.` : "Type a value, or choose why there is none.");
  const number = Number(text.replace(",", "."));
  const whole = data.kind === "count" || data.kind === "score";
  if ((data.low != null && number < data.low) || (data.high != null && number > data.high)) {
    return refuse(`Found ${number}. Expected ${data.trait.toLowerCase()} ${data.high != null ? `from ${data.low ?? 0} to ${data.high}` : `of at least ${data.low}`} ${data.unit}.`);
  }
  if (whole && number !== Math.floor(number)) return refuse(`Found ${number}. Expected a whole number.`);
  if (asked !== text && far(number)) { asked = text; tell(`${number} ${data.unit} is far from the other plots. Keep it again if it is right.`, true); return draw(); }
  return keep({ number });
}
function refuse(text) { tell(text, true); draw(); }
function press(sign) { typed += sign; draw(); }
function tap(value) { typed = value; return send(); }

function jump(text) {
  const number = text.trim().replace(/^T[0-9]+-/i, "").toLowerCase();
  const found = path().findIndex((p) => p.number.toLowerCase() === number);
  if (found < 0) return refuse(`There is no plot ${text.trim()} in this round.`);
  at = found; typed = ""; tell("", false);
  return draw();
}

function ground() {
  const wide = Math.max(...data.plots.map((p) => p.x + p.length), 1);
  const high = Math.max(...data.plots.map((p) => p.y + p.width), 1);
  const several = new Set(data.plots.map((p) => p.bed)).size > 1;
  if (several) return null;
  const here = path()[at].id;
  return make("svg", { class: "mini", viewBox: `0 0 ${wide} ${high}`, "aria-hidden": "true" }, data.plots.map((p) =>
    make("rect", { x: p.x + 0.05 * p.length, y: p.y + 0.05 * p.width, width: 0.9 * p.length, height: 0.9 * p.width,
      class: p.id === here ? "here" : has(p) ? "done" : "", onclick: () => jump(p.number) })));
}

function draw() {
  const plots = path();
  const plot = plots[at];
  const low = Math.max(0, Math.min(at - 2, plots.length - 5));
  const silent = repeats();
  const mine = silent ? null : answers.get(plot.id);
  const done = plots.filter(has).length;
  const button = (text, act, more = {}) => make("button", { type: "button", onclick: act, ...more }, text);
  const digits = "123456789".split("");
  const pad = data.kind === "date"
    ? make("div", { class: "pad days" }, button("Today", () => tap(today())))
    : data.kind === "score"
      ? make("div", { class: "pad nine" }, digits.map((d) => button(d, () => tap(d))))
      : make("div", { class: "pad" }, digits.map((d) => button(d, () => press(d))), button("clear", () => { typed = ""; draw(); }, { class: "word" }), button("0", () => press("0")), button(".", () => press("."), { disabled: !data.decimals }));
  box.replaceChildren(
    make("nav", { class: "strip", "aria-label": "Plots along the path" }, plots.slice(low, low + 5).map((p) =>
      button([p.number, has(p) && make("span", { class: "sr-only" }, ", has a value")], () => jump(p.number), { class: `strip-tag${p === plot ? " here" : has(p) ? " done" : ""}`, "aria-current": p === plot && "true" }))),
    make("div", { class: "ask" }, make("h1", {}, `${data.trait}${data.unit ? `, ${data.unit}` : ""}`), data.method && make("p", { class: "method" }, data.method)),
    make("form", { id: "field-form", novalidate: true, onsubmit: (e) => { e.preventDefault(); send(); } },
      make("div", { class: "answer" }, make("label", { class: "sr-only", for: "value" }, `${data.trait} of plot ${plot.number}`),
        make("input", { id: "value", class: "big", value: typed, inputmode: data.kind === "date" ? null : "none", type: data.kind === "date" ? "date" : "text", autocomplete: "off", "aria-invalid": wrong && "true", "aria-describedby": wrong ? "said" : null, oninput: (e) => { typed = e.target.value; } }),
        data.unit && make("span", { class: "big-unit" }, data.unit)),
      said && make("p", { id: "said", class: wrong ? "error" : "kept", role: wrong ? "alert" : "status" }, said),
      mine ? make("p", { class: "kept" }, `You have ${shown(mine)} here. A new value corrects it.`) : silent ? null : plot.own ? make("p", { class: "kept" }, `You have ${plot.own} here. A new value corrects it.`) : plot.stands && make("p", { class: "kept" }, "This plot has a value. Another one is kept beside it, to be settled."),
      open !== "reasons" && pad,
      make("div", { class: "pad two" }, button("No value…", () => { open = open === "reasons" ? "" : "reasons"; draw(); }, { class: "line", "aria-expanded": String(open === "reasons") }), button("Note", () => { open = open === "note" ? "" : "note"; draw(); }, { class: "line", "aria-expanded": String(open === "note") })),
      open === "reasons" && make("div", { class: "reasons" }, data.causes.map(([code, words], n) => button([make("kbd", {}, String(n + 1)), ` ${words}`], () => keep({ cause: code }), { class: "line" }))),
      open === "note" && make("div", {}, make("label", { for: "note" }, "Note"), make("input", { id: "note", type: "text", maxlength: 300, autocomplete: "off", value: note, oninput: (e) => { note = e.target.value; } })),
      make("button", { class: "button main keep" }, "Keep and go on")),
    make("p", { class: "foot" }, make("span", {}, `${done} of ${plots.length} plots`), last && button(`Undo plot ${last.plotNumber}`, undo, { class: "quiet" })),
    make("p", { class: "foot", id: "waiting", role: "status" }),
    ground() || "",
    make("form", { class: "foot", onsubmit: (e) => { e.preventDefault(); jump(e.target.elements.to.value); } },
      make("label", { for: "to" }, "Go to plot"), make("input", { id: "to", name: "to", class: "jump-to", autocomplete: "off", maxlength: 80 }),
      button(backwards ? "From the near end" : "From the far end", () => { const p = path()[at]; backwards = !backwards; at = path().indexOf(p); draw(); }, { class: "quiet" }),
      make("a", { href: box.dataset.walk }, "All rounds")),
  );
  const field = document.getElementById(open === "note" ? "note" : "value");
  field.focus();
  if (field.type === "text") field.setSelectionRange(field.value.length, field.value.length); // what follows is typed behind it
  waiting();
}

const WHY = {
  offline: "No signal: they are safe on this phone and go in by themselves.", locked: "You are no longer logged in: log in again, and they go in.",
  another: "They are another person's: that person has to log in.", broken: "The server could not take them: they stay here and are sent again.",
};
async function waiting() {
  const count = await showKept();
  const refused = (await all("records")).filter((r) => r.refused);
  const line = document.getElementById("waiting");
  if (!line) return;
  const text = count ? `${count} kept on this phone only. ${WHY[state] || ""}` : "Everything is at the station.";
  line.replaceChildren(text, ...refused.slice(0, 3).map((r) => make("span", { class: "error" }, ` Plot ${r.plotNumber}: ${r.refused}`)));
  if (state === "locked" && count) line.append(" ", make("a", { href: "/people/log-in/", target: "_blank" }, "Log in"));
}

let again = 0;
async function sync() {
  clearTimeout(again);
  state = await bringIn(async (record, answer) => {
    if (record.round !== round) return;
    const plot = data.plots.find((p) => p.id === record.plot);
    if (plot) plot.stands = answer.stands || "";
    const mine = answers.get(record.plot);
    if (mine && mine.key === record.key && answer.state !== "refused") { plot.own = String(shown(mine)); mine.key = answer.stands || mine.key; }
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
  return data.kind === "date" ? null : press(key);
}

function act(key) {
  if (open === "reasons" && "1234".includes(key)) keep({ cause: data.causes[Number(key) - 1][0] });
  else if (key === "x") { open = open === "reasons" ? "" : "reasons"; draw(); }
  else if (key === "n") { open = "note"; draw(); }
  else if (key === "b") { at = Math.max(0, at - 1); typed = ""; draw(); }
  else if (key === "u") undo();
  else if (data.kind === "score" && /^[1-9]$/.test(key)) tap(key);
  else return false;
  return true;
}

document.addEventListener("keydown", (event) => {
  if (!data || event.ctrlKey || event.metaKey || event.altKey || event.target.matches("#note, #to") || document.getElementById("keys")?.open) return;
  if (busy) {
    if (event.key.length === 1 || event.key === "Enter") { ahead.push(event.key); event.preventDefault(); }
    return;
  }
  if (act(event.key)) event.preventDefault();
});

start();
