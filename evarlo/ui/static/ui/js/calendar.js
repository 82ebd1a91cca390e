// A task is dragged along the season to its day; its form says the same in figures, and the page then shows what moved with it.

function place(svg, event) {
  return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse()).x;
}

function dayAt(svg, x) {
  const first = new Date(`${svg.dataset.first}T00:00:00Z`);
  const days = Math.round((x - Number(svg.dataset.names)) / Number(svg.dataset.day));
  return new Date(first.getTime() + days * 86400000);
}

const iso = (day) => day.toISOString().slice(0, 10);

document.addEventListener("pointerdown", (event) => {
  const mark = event.target.closest(".calendar .moves .mark");
  if (!mark || event.button !== 0) return;
  event.preventDefault();
  const svg = mark.closest("svg"),
    task = mark.closest(".task");
  const at = mark.transform.baseVal.getItem(0).matrix;
  const start = { pointer: place(svg, event), x: at.e, y: at.f };
  const tip = document.getElementById("calendar-tip");
  let x = start.x;
  mark.setPointerCapture(event.pointerId);
  task.classList.add("dragged");
  const follow = (next) => {
    x = start.x + place(svg, next) - start.pointer;
    mark.setAttribute("transform", `translate(${x} ${start.y})`);
    tip.textContent = dayAt(svg, x).toLocaleDateString("en-GB", {
      weekday: "short",
      day: "numeric",
      month: "short",
      timeZone: "UTC",
    });
  };
  const drop = () => {
    mark.removeEventListener("pointermove", follow);
    task.classList.remove("dragged");
    tip.textContent = "";
    const day = iso(dayAt(svg, x));
    if (day === iso(dayAt(svg, start.x))) {
      mark.setAttribute("transform", `translate(${start.x} ${start.y})`);
      return;
    }
    const form = document.querySelector(`form[data-task="${task.dataset.key}"]`);
    form.elements.on.value = day;
    form.requestSubmit();
  };
  mark.addEventListener("pointermove", follow);
  mark.addEventListener("pointerup", drop, { once: true });
  mark.addEventListener(
    "pointercancel",
    () => {
      x = start.x;
      drop();
    },
    { once: true },
  );
});
