// The ground answers to a plot being chosen, and lights the plots of the entry at hand.

function choose(key) {
  document.querySelectorAll(".plan .chosen").forEach((tag) => tag.classList.remove("chosen"));
  const tag = document.querySelector(`.plan [data-plot="${key}"]`);
  if (tag) tag.classList.add("chosen");
  const row = document.querySelector(`[data-plot-row="${key}"]`);
  document.querySelectorAll("tr.chosen").forEach((other) => other.classList.remove("chosen"));
  if (row) {
    row.classList.add("chosen");
    row.scrollIntoView({ block: "nearest" });
  }
}

document.addEventListener("click", (event) => {
  const tag = event.target.closest("#ground .plan a[data-plot], .small-plan a[data-plot]");
  if (!tag || !document.getElementById("plot") || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const scoring = document.querySelector("#ground").dataset.phase === "round";
  choose(tag.dataset.plot);
  if (scoring) {
    document.dispatchEvent(new CustomEvent("plot-chosen", { detail: tag.dataset.number }));
  } else {
    htmx.ajax("GET", tag.getAttribute("href"), { target: "#plot", swap: "innerHTML" }).catch(() => {}); // no signal
  }
});

document.addEventListener("click", (event) => {
  const row = event.target.closest("tr[data-plot-row]");
  const tag = row && document.querySelector(`.plan [data-plot="${row.dataset.plotRow}"]`);
  if (tag) tag.dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
});

const lit = (entry) => {
  document.querySelectorAll(".plan .lit").forEach((tag) => tag.classList.remove("lit"));
  document.querySelectorAll(`.plan [data-entry="${entry}"]`).forEach((tag) => tag.classList.add("lit"));
};
let held = ""; // the entry whose curve was touched: its plots stay lit, and its diaries can be gone through

function light(event, on) {
  const row = event.target.closest("[data-entry]:not(.tag)");
  if (row) lit(on ? row.dataset.entry : held);
}

// The plots are one stop of the Tab key; arrows go from each to the nearest that way.
const ARROWS = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
const plotsOf = (plan) => [...plan.querySelectorAll("a.tag")];

function oneStop() {
  for (const plan of document.querySelectorAll("#ground .plan, .small-plan .plan, .closer-room .plan")) {
    const tags = plotsOf(plan);
    const stop = tags.find((tag) => tag.classList.contains("chosen")) ?? tags[0];
    for (const tag of tags) tag.setAttribute("tabindex", tag === stop ? "0" : "-1");
  }
}

const middle = (tag) => {
  const box = tag.getBoundingClientRect();
  return [box.left + box.width / 2, box.top + box.height / 2];
};

function nearest(tag, tags, [right, down]) {
  const [x, y] = middle(tag);
  let best = null;
  let least = Infinity;
  for (const other of tags) {
    const [a, b] = middle(other);
    const ahead = (a - x) * right + (b - y) * down;
    const aside = Math.abs(right ? b - y : a - x);
    if (ahead > 1 && ahead + 3 * aside < least) [best, least] = [other, ahead + 3 * aside];
  }
  return best;
}

document.addEventListener("keydown", (event) => {
  const tag = event.target.closest?.(".plan a.tag");
  if (!tag || event.altKey || event.ctrlKey || event.metaKey) return;
  const tags = plotsOf(tag.closest(".plan"));
  const next = event.key in ARROWS ? nearest(tag, tags, ARROWS[event.key]) : { Home: tags[0], End: tags.at(-1) }[event.key];
  if (!next) return;
  event.preventDefault();
  event.stopPropagation();
  for (const other of tags) other.setAttribute("tabindex", other === next ? "0" : "-1");
  next.focus();
});
document.addEventListener("htmx:afterSettle", oneStop);
oneStop();

// A touched curve chooses a plot of its entry, touched again the next one.
document.addEventListener("click", (event) => {
  const curve = event.target.closest(".progress [data-entry]");
  const tags = curve ? [...document.querySelectorAll(`#ground .plan a[data-entry="${curve.dataset.entry}"]`)] : [];
  if (!tags.length) return;
  const at = held === curve.dataset.entry ? tags.findIndex((tag) => tag.classList.contains("chosen")) + 1 : 0;
  held = curve.dataset.entry;
  lit(held);
  tags[at % tags.length].dispatchEvent(new MouseEvent("click", { bubbles: true, cancelable: true }));
});
for (const name of ["mouseover", "focusin"]) document.addEventListener(name, (event) => light(event, true));
for (const name of ["mouseout", "focusout"]) document.addEventListener(name, (event) => light(event, false));

// A value was kept: the plan is coloured anew, and the chosen plot stays chosen.
document.body.addEventListener("ground-changed", () => {
  const ground = document.getElementById("ground");
  const layer = document.getElementById("layer")?.value ?? "";
  const url = `${ground.dataset.url}?phase=${ground.dataset.phase}&layer=${layer}`;
  // Cut off meanwhile: it is drawn anew with the next value that is kept.
  htmx.ajax("GET", url, { target: "#ground", swap: "outerHTML" }).catch(() => {});
});
document.addEventListener("htmx:afterSettle", () => {
  const diary = document.querySelector("#plot [data-chosen]");
  if (diary) choose(diary.dataset.chosen);
});
