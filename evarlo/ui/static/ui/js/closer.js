// The plan looked at closely: the wheel or + and − zoom to where the pointer is, dragging moves it, 0 shows it whole.

const room = document.querySelector("[data-closer]");
const drawing = room?.querySelector("svg.plan");
const MOST = 14;
let scale = 1,
  x = 0,
  y = 0,
  frame = 0;

function draw() {
  frame = 0;
  drawing.style.transform = `translate(${x}px, ${y}px) scale(${scale})`;
}
function ask() {
  if (!frame) frame = requestAnimationFrame(draw);
}

// At which scale the whole drawing is in the room.
const least = () => {
  const { width, height } = drawing.viewBox.baseVal;
  return Math.min(1, room.clientWidth / width, room.clientHeight / height);
};

function zoom(by, at) {
  const next = Math.min(MOST, Math.max(least(), scale * by));
  x = at.x - (at.x - x) * (next / scale);
  y = at.y - (at.y - y) * (next / scale);
  scale = next;
  if (scale === least()) {
    x = 0;
    y = 0;
  }
  ask();
}
const middle = () => ({ x: room.clientWidth / 2, y: room.clientHeight / 2 });
const inRoom = (event) => {
  const box = room.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top };
};
const whole = () => {
  scale = least();
  x = 0;
  y = 0;
  ask();
};

if (drawing) {
  if (matchMedia("(min-width: 48rem)").matches) whole(); // a phone begins where numbers can be read
  drawing.style.transformOrigin = "0 0";
  room.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      zoom(event.deltaY < 0 ? 1.25 : 0.8, inRoom(event));
    },
    { passive: false },
  );
  const fingers = new Map();
  let moved = 0;
  // While it is dragged the drawing is moved as a picture; at rest it is drawn sharp again.
  const rest = (event) => {
    fingers.delete(event.pointerId);
    if (!fingers.size) drawing.style.willChange = "auto";
  };
  room.addEventListener("pointerdown", (event) => {
    fingers.set(event.pointerId, inRoom(event));
    moved = 0;
    drawing.style.willChange = "transform";
  });
  room.addEventListener("pointermove", (event) => {
    const before = fingers.get(event.pointerId);
    if (!before) return;
    const now = inRoom(event);
    if (fingers.size === 2) {
      const other = [...fingers].find(([id]) => id !== event.pointerId)[1];
      const apart = (a, b) => Math.hypot(a.x - b.x, a.y - b.y);
      zoom(apart(now, other) / Math.max(1, apart(before, other)), { x: (now.x + other.x) / 2, y: (now.y + other.y) / 2 });
    } else {
      x += now.x - before.x;
      y += now.y - before.y;
      ask();
    }
    moved += Math.hypot(now.x - before.x, now.y - before.y);
    fingers.set(event.pointerId, now);
  });
  for (const name of ["pointerup", "pointercancel", "pointerleave"]) room.addEventListener(name, rest);
  room.addEventListener(
    "click",
    (event) => {
      if (moved > 5) {
        event.preventDefault();
        event.stopPropagation();
      }
    },
    true,
  );
  room.addEventListener("dragstart", (event) => event.preventDefault());
  document.addEventListener("keydown", (event) => {
    if (event.target.closest("input, textarea, select")) return;
    if (event.key === "+") zoom(1.25, middle());
    if (event.key === "-") zoom(0.8, middle());
    if (event.key === "0") whole();
  });
  document.addEventListener("click", (event) => {
    const act = event.target.closest("[data-zoom]")?.dataset.zoom;
    if (act === "in") zoom(1.5, middle());
    if (act === "out") zoom(1 / 1.5, middle());
    if (act === "whole") whole();
  });
}
