// Stations of a plot: what is chosen below is marked where a station is touched. Each touch is kept on this phone at once, so that
// the next one need not wait for an answer.

import { keepForm, showRefused } from "./forms.js";
import { showKept } from "./light.js";
import { notice } from "./notice.js";
import { bringIn } from "./queue.js";

const DRAWN = ["#stations .tray-room", "#stand-said", "#stand-table"]; // what changes with a mark

async function touch(station) {
  const form = document.getElementById("mark");
  form.elements.station.value = station.dataset.station;
  station.classList.add("kept-here");
  const full = await keepForm(form);
  if (full) {
    station.classList.remove("kept-here");
    notice(full);
  } else await send();
}

async function send() {
  let answers = 0;
  const why = await bringIn(async () => (answers += 1));
  await showKept();
  await showRefused(document.getElementById("notices"));
  if (!why && answers) await drawAnew();
}

async function drawAnew() {
  const answer = await fetch(location.href, { cache: "no-store" });
  if (!answer.ok) return;
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  const { station } = document.activeElement?.dataset ?? {};
  for (const part of DRAWN) {
    const fresh = page.querySelector(part);
    if (fresh) document.querySelector(part)?.replaceWith(fresh);
  }
  if (station) document.querySelector(`#stations [data-station="${station}"]`)?.focus();
}

document.addEventListener("click", (event) => {
  const station = event.target.closest(".stations [data-station][role=button]");
  if (station) touch(station);
});
document.addEventListener("keydown", (event) => {
  const station = event.target.closest?.(".stations [data-station][role=button]");
  if (station && (event.key === "Enter" || event.key === " ")) {
    touch(station);
    event.preventDefault();
  }
});
window.addEventListener("online", () => send().catch(() => {}));
