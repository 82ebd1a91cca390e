// The board by keys: arrows go from entry to entry, r t d give a verdict, w says for whom, Enter opens what is known, u takes back.
// A verdict that goes against the suggestion needs a reason, so its form opens with the cursor there.

const VERDICTS = { r: "recommend", t: "retest", d: "drop" };
const board = document.querySelector("table.board");
const typing = (at) => at.matches?.("input:not([type=radio]), select, textarea") || at.closest?.("dialog[open]");
const lineOf = (at) => at.closest?.("tbody.line");
const lines = () => [...board.querySelectorAll("tbody.line")];
const rowOf = (line) => line.querySelector("tr[tabindex]");

const late = new Map(); // by the id of a line whose answer is awaited: the keys that were pressed on it meanwhile

// The line comes anew from the server, however late: the cursor goes to `want` in it, or stays on the line.
async function anew(line, want, method, address, more = {}) {
  const id = line.id;
  late.set(id, late.get(id) ?? []); // a touch may have asked for it already
  await window.htmx.ajax(method, address, { target: `#${id}`, swap: "outerHTML", ...more }).catch(() => {}); // no signal
  const keys = late.get(id) ?? [];
  late.delete(id);
  const now = document.getElementById(id);
  const field = want && now?.querySelector(want);
  const at = document.activeElement;
  if (now && (at === document.body || now.contains(at))) (field || rowOf(now)).focus(); // who has gone on is left there
  if (field) typeInto(field, keys);
  else if (now && !want) replay(now, keys);
}

const open = (line, { verdict = "", shut = false, want = "" } = {}) =>
  anew(line, want, "GET", `${line.dataset.line}?${new URLSearchParams({ verdict, shut: shut ? "1" : "" })}`);

function give(line, verdict) {
  if (!line.dataset.suggested) return;
  if (line.dataset.suggested !== verdict) open(line, { verdict, want: "[name=reason]" });
  else anew(line, "", "POST", line.dataset.give, { values: { verdict } });
}

// What was typed before its field was there is in it.
function typeInto(field, keys) {
  for (const key of keys) {
    if (key === "Enter") return field.form.requestSubmit();
    field.value = key === "Backspace" ? field.value.slice(0, -1) : field.value + key;
  }
}

// What was pressed before the line was there is done now, one by one.
function replay(line, [first, ...rest]) {
  if (!first) return;
  pressed({ key: first, target: rowOf(line), preventDefault() {} });
  late.get(line.id)?.push(...rest);
}

function step(line, by) {
  const all = lines();
  const to = all[Math.max(0, Math.min(all.length - 1, all.indexOf(line) + by))];
  rowOf(to)?.focus();
}

// Up and down, from anywhere on the page: into the board, or from line to line.
function move(e, line) {
  if (e.target.matches("input[type=radio]")) return;
  e.preventDefault();
  if (line) step(line, e.key === "ArrowDown" ? 1 : -1);
  else rowOf(lines()[0])?.focus();
}

// What a person who may decide does by one key.
function decide(e, line) {
  if (e.key === "u") document.querySelector("form[data-undo]")?.requestSubmit();
  else if (line && e.key in VERDICTS) give(line, VERDICTS[e.key]);
  else if (line && e.key === "w") {
    e.preventDefault();
    open(line, { want: "[name=whom]" });
  }
}

function pressed(e) {
  const line = lineOf(e.target);
  const waiting = line && e.target === rowOf(line) && late.get(line.id);
  if (waiting && (e.key.length === 1 || e.key === "Enter" || e.key === "Backspace")) {
    e.preventDefault();
    waiting.push(e.key);
  } else if (typing(e.target)) {
    if (e.key === "Escape" && line) open(line, { shut: true });
  } else if (e.key === "ArrowDown" || e.key === "ArrowUp") move(e, line);
  else if (line && e.target === rowOf(line) && (e.key === "Enter" || e.key === "Escape")) {
    e.preventDefault();
    open(line, { shut: line.classList.contains("opened") });
  } else if (board.dataset.mayGive === "1") decide(e, line);
}
if (board) document.addEventListener("keydown", (e) => e.ctrlKey || e.metaKey || e.altKey || pressed(e));

// A touch on the line is Enter.
board?.addEventListener("click", (e) => {
  const line = lineOf(e.target);
  if (!line || e.target.closest(".more, a, button, input, select, label")) return;
  open(line, { shut: line.classList.contains("opened") });
});
