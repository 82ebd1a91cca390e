// Cells of a tray: chosen by touch, by rows or by keys while sowing; counted by touch while plants come up.

const name = (n, cols) => letters(Math.floor(n / cols)) + ((n % cols) + 1);
const letters = (row) => (row < 26 ? "" : String.fromCharCode(64 + Math.floor(row / 26))) + String.fromCharCode(65 + (row % 26));

function inWords(cells, cols) {
  const said = [];
  const sorted = [...cells].sort((a, b) => a - b);
  for (let i = 0; i < sorted.length; i += 1) {
    const first = sorted[i];
    while (i + 1 < sorted.length && sorted[i + 1] === sorted[i] + 1) i += 1;
    said.push(first === sorted[i] ? name(first, cols) : `${name(first, cols)}-${name(sorted[i], cols)}`);
  }
  return said.join(", ");
}

function read(text, cols, count) {
  const cell = (part) => {
    const found = part.trim().match(/^([A-Za-z]{1,2})\s*([0-9]{1,3})?$/);
    if (!found) return null;
    const up = found[1].toUpperCase();
    const row = up.length === 2 ? 26 * (up.charCodeAt(0) - 64) + up.charCodeAt(1) - 65 : up.charCodeAt(0) - 65;
    return found[2] ? [row * cols + Number(found[2]) - 1, row * cols + Number(found[2]) - 1] : [row * cols, row * cols + cols - 1];
  };
  const chosen = new Set();
  for (const part of text.replaceAll("–", "-").split(/[,;]/)) {
    const [first, last] = part.split("-").map(cell);
    if (!first) continue;
    for (let n = first[0]; n <= (last || first)[1] && n < count; n += 1) chosen.add(n);
  }
  return chosen;
}

function show(tray, chosen) {
  for (const cell of tray.querySelectorAll("[data-cell]")) cell.classList.toggle("chosen", chosen.has(Number(cell.dataset.cell)));
  const told = document.getElementById("chosen-cells");
  if (told) told.textContent = chosen.size === 1 ? "1 cell" : `${chosen.size} cells`;
}

function choosing(tray) {
  const field = document.querySelector("input[name=cells]");
  const cols = Number(tray.dataset.cols);
  const cells = [...tray.querySelectorAll("[data-cell]")];
  const free = new Set(cells.filter((c) => c.classList.contains("free")).map((c) => Number(c.dataset.cell)));
  let chosen = read(field.value, cols, cells.length);
  let at = Math.min(...free, cells.length - 1);
  const keep = () => {
    field.value = inWords(chosen, cols);
    show(tray, chosen);
  };
  const point = () =>
    cells.forEach((c) => c.classList.toggle("pointed", document.activeElement === tray && Number(c.dataset.cell) === at));
  const toggle = (group) => {
    const open = group.filter((n) => free.has(n));
    const all = open.every((n) => chosen.has(n));
    open.forEach((n) => (all ? chosen.delete(n) : chosen.add(n)));
    keep();
  };
  const row = (r) => [...Array(cols).keys()].map((c) => r * cols + c);
  tray.addEventListener("click", (event) => {
    const letter = event.target.closest("[data-row].row-letter");
    const cell = event.target.closest("[data-cell]");
    if (letter) toggle(row(Number(letter.dataset.row)));
    else if (cell && event.shiftKey) {
      const to = Number(cell.dataset.cell);
      for (let n = Math.min(at, to); n <= Math.max(at, to); n += 1) if (free.has(n)) chosen.add(n);
      keep();
    } else if (cell) {
      at = Number(cell.dataset.cell);
      toggle([at]);
    }
  });
  tray.addEventListener("keydown", (event) => {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: cols, ArrowUp: -cols }[event.key];
    if (step && at + step >= 0 && at + step < cells.length) at += step;
    else if (event.key === " ") toggle([at]);
    else if (event.key === "r") toggle(row(Math.floor(at / cols)));
    else if (event.key === "Enter") field.form.requestSubmit();
    else return;
    event.preventDefault();
    point();
  });
  tray.addEventListener("focus", point);
  tray.addEventListener("blur", point);
  field.addEventListener("input", () => {
    chosen = read(field.value, cols, cells.length);
    show(tray, chosen);
  });
  show(tray, chosen);
}

// Counting: every touch of a cell adds a plant, from none to three and back to none.
function counting(tray) {
  const form = tray.closest("form");
  const own = [...tray.querySelectorAll("[data-cell].held")];
  const keep = () => {
    const digits = own.map((c) => c.querySelector(".plants").textContent || "0").join("");
    form.elements.cells.value = digits;
    form.elements.plants.value = [...digits].reduce((sum, d) => sum + Number(d), 0);
  };
  tray.addEventListener("click", (event) => {
    const cell = event.target.closest("[data-cell].held");
    if (!cell) return;
    const plants = cell.querySelector(".plants");
    plants.textContent = (Number(plants.textContent || 0) + 1) % 4;
    keep();
  });
}

function start() {
  for (const tray of document.querySelectorAll(".tray[data-mode]:not([data-ready])")) {
    tray.dataset.ready = "yes";
    if (tray.dataset.mode === "choose") choosing(tray);
    if (tray.dataset.mode === "count") counting(tray);
  }
}
document.addEventListener("DOMContentLoaded", start);
document.addEventListener("htmx:afterSettle", start);
