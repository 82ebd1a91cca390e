// Ways through the plots. Whichever is taken, every plot comes once, and rows are walked back and forth.

export const WAYS = [
  ["laid", "As laid out"],
  ["back", "As laid out, from the far end"],
  ["tl", "From the top left"],
  ["tr", "From the top right"],
  ["bl", "From the bottom left"],
  ["br", "From the bottom right"],
  ["blocks", "Block by block"],
  ["free", "Free: the nearest next"],
];

const middle = (p) => [p.x + p.length / 2, p.y + p.width / 2];

// Rows of plots, from the top, each from the left.
function rowsOf(plots) {
  const rows = [];
  for (const p of [...plots].sort((a, b) => a.y - b.y)) {
    const row = rows.at(-1);
    if (row && Math.abs(row[0].y - p.y) < row[0].width / 2) row.push(p);
    else rows.push([p]);
  }
  return rows.map((row) => row.sort((a, b) => a.x - b.x));
}

function backAndForth(plots, fromRight, fromBottom) {
  const rows = rowsOf(plots);
  if (fromBottom) rows.reverse();
  return rows.flatMap((row, n) => ((n % 2 === 1) !== fromRight ? [...row].reverse() : row));
}

function grouped(plots, by) {
  const groups = new Map();
  for (const p of plots) groups.set(by(p), [...(groups.get(by(p)) || []), p]);
  return [...groups.values()];
}

export function pathOf(plots, way) {
  if (way === "back") return [...plots].reverse();
  if (way === "blocks") return grouped(plots, (p) => `${p.bed} ${p.block}`).flatMap((some) => backAndForth(some, false, false));
  if (way === "laid" || way === "free" || !WAYS.some(([key]) => key === way)) return plots;
  return grouped(plots, (p) => p.bed).flatMap((some) => backAndForth(some, way[1] === "r", way[0] === "b"));
}

// Where to go from a plot: the next without a value along the way, or the nearest one where the way is free. -1 when none is left.
export function nextFrom(path, at, way, has) {
  const after = [...path.keys()]
    .slice(at + 1)
    .concat([...path.keys()].slice(0, at))
    .filter((i) => !has(path[i]));
  if (way !== "free" || !after.length) return after[0] ?? -1;
  const [x, y] = middle(path[at]);
  const far = (i) => (path[i].bed === path[at].bed ? 0 : 1000) + Math.hypot(middle(path[i])[0] - x, middle(path[i])[1] - y);
  return after.reduce((best, i) => (far(i) < far(best) - 1e-9 ? i : best), after[0]);
}
