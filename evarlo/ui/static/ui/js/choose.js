// Choosing plots on the plan: drag over them, touch them one by one, or take a whole block. The field beside says the same in
// numbers, and can be typed in.

const field = () => document.querySelector("[data-pick]");
const tags = () => [...document.querySelectorAll("#ground .plan a[data-plot]")];
const order = (a, b) => a.length - b.length || (a < b ? -1 : a > b ? 1 : 0);
const known = () =>
  tags()
    .map((t) => t.dataset.number)
    .sort(order);

// Numbers and runs, as the field holds them, to a set of numbers; what is not a plot is left to the server to say.
function read(text) {
  const all = known(),
    chosen = new Set();
  for (const part of text
    .split(/[,;]/)
    .map((x) => x.trim())
    .filter(Boolean)) {
    const [first, last] = part.split(/\s*[-–]\s*/);
    if (all.includes(part)) chosen.add(part);
    else if (all.includes(first) && all.includes(last))
      all.slice(all.indexOf(first), all.indexOf(last) + 1).forEach((n) => chosen.add(n));
  }
  return chosen;
}

function write(chosen) {
  const all = known(),
    runs = [];
  all.forEach((n, i) => {
    if (!chosen.has(n)) return;
    const run = runs.at(-1);
    if (run && all[i - 1] === run[1]) run[1] = n;
    else runs.push([n, n]);
  });
  const said = ([a, b]) => (a === b ? a : all.indexOf(b) - all.indexOf(a) > 1 ? `${a}-${b}` : `${a}, ${b}`);
  field().value = runs.map(said).join(", ");
  show();
}

function show() {
  const chosen = field() ? read(field().value) : new Set();
  tags().forEach((t) => t.classList.toggle("picked", chosen.has(t.dataset.number)));
  const count = document.querySelector("[data-picked]");
  if (count) count.textContent = chosen.size ? `${chosen.size} chosen` : "Touch plots on the plan, or drag over them.";
}

const open = () => field() && field().offsetParent !== null;

document.addEventListener("click", (event) => {
  const group = event.target.closest("[data-group]");
  if (group) {
    const chosen = read(field().value),
      some = group.dataset.group.split(",");
    const whole = some.every((n) => chosen.has(n));
    some.forEach((n) => (whole ? chosen.delete(n) : chosen.add(n)));
    write(chosen);
  }
});

// Before the ground opens a plot's diary: while plots are being chosen a touch chooses.
document.addEventListener(
  "click",
  (event) => {
    const tag = event.target.closest("#ground .plan a[data-plot]");
    if (!tag || !open()) return;
    event.preventDefault();
    event.stopPropagation();
    if (dragged) {
      dragged = false;
      return;
    }
    const chosen = read(field().value),
      n = tag.dataset.number;
    chosen.has(n) ? chosen.delete(n) : chosen.add(n);
    write(chosen);
  },
  true,
);

let dragged = false;
document.addEventListener("pointerdown", (event) => {
  const svg = event.target.closest("#ground .plan");
  dragged = false;
  if (!svg || !open() || event.button !== 0 || event.pointerType === "touch") return;
  event.preventDefault();
  const point = (e) => new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  const from = point(event);
  const box = document.createElementNS("http://www.w3.org/2000/svg", "rect");
  box.setAttribute("class", "pick-box");
  const follow = (e) => {
    const to = point(e);
    if (!dragged && Math.hypot(to.x - from.x, to.y - from.y) < 5) return;
    dragged = true;
    svg.append(box);
    for (const [name, value] of Object.entries({
      x: Math.min(from.x, to.x),
      y: Math.min(from.y, to.y),
      width: Math.abs(to.x - from.x),
      height: Math.abs(to.y - from.y),
    }))
      box.setAttribute(name, value);
  };
  const drop = () => {
    document.removeEventListener("pointermove", follow);
    if (dragged) {
      const r = box.getBoundingClientRect(),
        chosen = read(field().value);
      for (const tag of tags()) {
        const t = tag.getBoundingClientRect(),
          x = t.left + t.width / 2,
          y = t.top + t.height / 2;
        if (x >= r.left && x <= r.right && y >= r.top && y <= r.bottom) chosen.add(tag.dataset.number);
      }
      write(chosen);
      setTimeout(() => {
        dragged = false;
      }, 0);
    }
    box.remove();
  };
  document.addEventListener("pointermove", follow);
  document.addEventListener("pointerup", drop, { once: true });
});

document.addEventListener("input", (event) => {
  if (event.target.matches("[data-pick]")) show();
});
document.addEventListener("toggle", show, true);
document.addEventListener("htmx:afterSettle", show);
document.addEventListener("DOMContentLoaded", show);
show();
