// Beds on the drawing of a site: dragged to where they lie, or moved by arrow keys and turned by r; kept when let go.

import { notice } from "./notice.js";
import { token } from "./queue.js";

const STEP = 0.5; // metres an arrow key
const TURN = 15; // degrees

const svgOf = (bed) => bed.closest("svg");
const at = (bed) => ({
  east: Number(bed.dataset.east),
  north: Number(bed.dataset.north),
  bearing: Number(bed.dataset.bearing),
});

function show(bed, start, now) {
  const scale = Number(svgOf(bed).dataset.scale);
  bed.setAttribute("transform", `translate(${(now.east - start.east) * scale} ${(start.north - now.north) * scale})`);
}

async function keep(bed, now) {
  const body = new URLSearchParams({
    east_m: `${now.east.toFixed(1)} m`,
    north_m: `${now.north.toFixed(1)} m`,
    bearing: String(now.bearing),
  });
  const answer = await fetch(`${bed.getAttribute("href")}place/`, {
    method: "POST",
    body,
    headers: { "X-CSRFToken": token(), "HX-Request": "true" },
  }).catch(() => null);
  if (answer?.ok) location.reload();
  else notice("The bed was not moved: no connection, or it may not be moved.", "error");
}

document.addEventListener("pointerdown", (event) => {
  const bed = event.target.closest("[data-bed].on-site");
  if (!bed || event.button !== 0) return;
  const start = at(bed);
  const scale = () => svgOf(bed).getScreenCTM().a * Number(svgOf(bed).dataset.scale);
  const from = { x: event.clientX, y: event.clientY };
  let now = start;
  const follow = (next) => {
    now = {
      ...start,
      east: start.east + (next.clientX - from.x) / scale(),
      north: start.north - (next.clientY - from.y) / scale(),
    };
    show(bed, start, now);
  };
  const drop = () => {
    document.removeEventListener("pointermove", follow);
    const far = Math.hypot(now.east - start.east, now.north - start.north) * scale() > 6;
    if (!far) return bed.removeAttribute("transform");
    bed.addEventListener("click", (click) => click.preventDefault(), { once: true, capture: true });
    return keep(bed, now);
  };
  document.addEventListener("pointermove", follow);
  document.addEventListener("pointerup", drop, { once: true });
});
document.addEventListener("dragstart", (event) => {
  if (event.target.closest?.("[data-bed].on-site")) event.preventDefault();
});

const moves = { ArrowLeft: [-STEP, 0], ArrowRight: [STEP, 0], ArrowUp: [0, STEP], ArrowDown: [0, -STEP] };
document.addEventListener("keydown", (event) => {
  const bed = event.target.closest("[data-bed].on-site");
  if (!bed || event.ctrlKey || event.metaKey) return;
  bed.moved ??= at(bed);
  if (moves[event.key]) {
    bed.moved = { ...bed.moved, east: bed.moved.east + moves[event.key][0], north: bed.moved.north + moves[event.key][1] };
    show(bed, at(bed), bed.moved);
  } else if (event.key === "r") keep(bed, { ...bed.moved, bearing: (bed.moved.bearing + TURN) % 360 });
  else if (event.key === "k") keep(bed, bed.moved);
  else return;
  event.preventDefault();
});
