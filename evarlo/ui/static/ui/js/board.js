// The board by keys: arrows go from entry to entry, r t d give a verdict, w says for whom, Enter opens what is known, u takes back.
// A verdict that goes against the suggestion needs a reason, so its form opens with the cursor there.

const VERDICTS = { r: "recommend", t: "retest", d: "drop" };
const board = document.querySelector("table.board");
const typing = (at) => at.matches?.("input:not([type=radio]), select, textarea") || at.closest?.("dialog[open]");
const lineOf = (at) => at.closest?.("tbody.line");
const lines = () => [...board.querySelectorAll("tbody.line")];
const rowOf = (line) => line.querySelector("tr[tabindex]");

// The line comes anew from the server; the cursor goes to `want` in it, or stays on the line.
async function open(line, { verdict = "", shut = false, want = "" } = {}) {
  const id = line.id;
  const asked = new URLSearchParams({ verdict, shut: shut ? "1" : "" });
  await window.htmx.ajax("GET", `${line.dataset.line}?${asked}`, { target: `#${id}`, swap: "outerHTML" }).catch(() => {}); // no signal
  focusIn(id, want);
}

function focusIn(id, want) {
  const now = document.getElementById(id);
  (now?.querySelector(want || "tr[tabindex]") || (now && rowOf(now)))?.focus();
}

async function give(line, verdict) {
  if (!line.dataset.suggested) return;
  if (line.dataset.suggested !== verdict) return open(line, { verdict, want: "[name=reason]" });
  const id = line.id;
  await window.htmx.ajax("POST", line.dataset.give, { target: `#${id}`, swap: "outerHTML", values: { verdict } }).catch(() => {});
  focusIn(id, "");
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

document.addEventListener("keydown", (e) => {
  if (!board || e.ctrlKey || e.metaKey || e.altKey) return;
  const line = lineOf(e.target);
  if (typing(e.target)) {
    if (e.key === "Escape" && line) open(line, { shut: true });
  } else if (e.key === "ArrowDown" || e.key === "ArrowUp") move(e, line);
  else if (line && e.target === rowOf(line) && (e.key === "Enter" || e.key === "Escape")) {
    e.preventDefault();
    open(line, { shut: line.classList.contains("opened") });
  } else if (board.dataset.mayGive === "1") decide(e, line);
});

// A touch on the line is Enter.
board?.addEventListener("click", (e) => {
  const line = lineOf(e.target);
  if (!line || e.target.closest(".more, a, button, input, select, label")) return;
  open(line, { shut: line.classList.contains("opened") });
});
