// A block is dragged by its corner to where it is to lie; a double click turns it. Its form says the same in figures.

const SNAP = 0.1; // metres

const formOf = (block) => document.querySelector(`form[data-block="${block}"]`);

function place(svg, event) {
  const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return { x: point.x, y: point.y };
}

function send(block, bed, x, y) {
  const form = formOf(block);
  form.elements.bed.value = bed;
  form.elements.x.value = `${x.toFixed(1)} m`;
  form.elements.y.value = `${y.toFixed(1)} m`;
  form.requestSubmit();
}

// The bed that holds most of the block's middle, and the block's corner in it, in metres, not over its near edges.
function landing(svg, edge, dx, dy) {
  const scale = Number(svg.dataset.scale);
  const x = Number(edge.getAttribute("x")) + dx,
    y = Number(edge.getAttribute("y")) + dy;
  const middle = { x: x + Number(edge.getAttribute("width")) / 2, y: y + Number(edge.getAttribute("height")) / 2 };
  for (const soil of svg.querySelectorAll("rect.soil[data-bed]:not([data-bed=''])")) {
    const pad = Number(soil.dataset.pad);
    const left = Number(soil.getAttribute("x")) + pad,
      top = Number(soil.getAttribute("y")) + pad;
    const wide = Number(soil.getAttribute("width")) - 2 * pad,
      high = Number(soil.getAttribute("height")) - 2 * pad;
    if (middle.x < left || middle.x > left + wide || middle.y < top || middle.y > top + high) continue;
    const within = (at, room, own) => Math.max(0, Math.min(at, room - own));
    const near = (metres) => Math.round(metres / SNAP) * SNAP;
    return {
      bed: soil.dataset.bed,
      x: near(within(x - left, wide, Number(edge.getAttribute("width"))) / scale),
      y: near(within(y - top, high, Number(edge.getAttribute("height"))) / scale),
    };
  }
  return null;
}

document.addEventListener("pointerdown", (event) => {
  const grip = event.target.closest(".plan .grip");
  if (!grip || event.button !== 0) return;
  event.preventDefault();
  const svg = grip.closest("svg"),
    handle = grip.closest(".handle"),
    edge = handle.querySelector(".block-edge");
  const start = place(svg, event);
  let moved = { x: 0, y: 0 };
  grip.setPointerCapture(event.pointerId);
  handle.classList.add("dragged");
  const follow = (next) => {
    const now = place(svg, next);
    moved = { x: now.x - start.x, y: now.y - start.y };
    handle.setAttribute("transform", `translate(${moved.x} ${moved.y})`);
  };
  const drop = () => {
    grip.removeEventListener("pointermove", follow);
    handle.classList.remove("dragged");
    handle.removeAttribute("transform");
    if (Math.hypot(moved.x, moved.y) < 6) return;
    const there = landing(svg, edge, moved.x, moved.y);
    if (there) send(handle.dataset.block, there.bed, there.x, there.y);
  };
  grip.addEventListener("pointermove", follow);
  grip.addEventListener("pointerup", drop, { once: true });
  grip.addEventListener(
    "pointercancel",
    () => {
      moved = { x: 0, y: 0 };
      drop();
    },
    { once: true },
  );
});

document.addEventListener("dblclick", (event) => {
  const handle = event.target.closest(".plan .handle");
  const form = handle && formOf(handle.dataset.block);
  if (!form) return;
  form.elements.turned.checked = !form.elements.turned.checked;
  form.requestSubmit();
});
