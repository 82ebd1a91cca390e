// The small plan under a hand that walks; on a wide screen the ground beside the bench is marked instead.

const SVG = "http://www.w3.org/2000/svg";

export class MiniPlan {
  // Draws the plots once; only what changes is set afterwards. Plots of several beds have no plan in common.
  constructor(box, walk, go) {
    this.walk = walk;
    this.rects = new Map();
    const { plots } = walk.data;
    if (new Set(plots.map((p) => p.bed)).size > 1) return;
    const left = Math.min(...plots.map((p) => p.x));
    const top = Math.min(...plots.map((p) => p.y));
    const wide = Math.max(...plots.map((p) => p.x + p.length)) - left;
    const high = Math.max(...plots.map((p) => p.y + p.width)) - top;
    const svg = made("svg", { class: "mini", viewBox: `${left} ${top} ${wide || 1} ${high || 1}`, "aria-hidden": "true" });
    for (const p of plots) {
      const rect = made("rect", {
        x: p.x + 0.05 * p.length,
        y: p.y + 0.05 * p.width,
        width: 0.9 * p.length,
        height: 0.9 * p.width,
      });
      rect.addEventListener("click", () => go(walk.path.indexOf(p)));
      this.rects.set(p.id, rect);
      svg.append(rect);
    }
    box.replaceChildren(svg);
  }

  mark() {
    const { walk } = this;
    for (const plot of walk.data.plots) {
      const look = plot === walk.plot ? "here" : walk.whole(plot) ? "done" : "";
      const rect = this.rects.get(plot.id);
      if (rect && rect.getAttribute("class") !== look) rect.setAttribute("class", look);
    }
    document.querySelectorAll("#ground .plan a[data-plot]").forEach((tag) => {
      const plot = walk.data.plots.find((p) => p.id === Number(tag.dataset.plot));
      tag.classList.toggle("scored", Boolean(plot && walk.whole(plot)));
      tag.classList.toggle("chosen", plot === walk.plot);
    });
  }
}

function made(tag, given) {
  const element = document.createElementNS(SVG, tag);
  for (const [key, value] of Object.entries(given)) element.setAttribute(key, value);
  return element;
}
