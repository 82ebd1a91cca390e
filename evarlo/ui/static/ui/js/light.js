// The light in the top bar: how many records are kept on this phone only. Every page tries to bring them in.

import { bringIn, letGo, takeBack } from "./queue.js";
import { all } from "./store.js";

const light = document.querySelector("[data-link]");
export async function showKept() {
  const count = (await all("records")).length;
  if (!light) return count;
  light.dataset.kept = count;
  if (count) {
    light.classList.add("waiting");
    light.querySelector("b").textContent = `${count} kept on this phone`;
  } else if (light.querySelector("b").textContent.includes("kept on this phone")) {
    light.classList.remove("waiting");
    light.querySelector("b").textContent = "All saved";
  }
  return count;
}

// Pages that the worker took along show what this person may see: they go when the person does.
const forgetPages = async () => globalThis.caches && caches.delete("evarlo-pages");
const mine = document.body.dataset.person;
try {
  const before = localStorage.getItem("evarlo-who");
  if (mine && before && before !== mine) await forgetPages();
  if (mine) localStorage.setItem("evarlo-who", mine);
} catch {
  // a browser that keeps nothing has taken nothing along
}

// Whoever logs out is told what of theirs still lies here; it goes in when they are next logged in on this phone.
document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (!form.matches("form[data-door].who") || form.dataset.told) return;
  event.preventDefault();
  const count = (await all("records").catch(() => [])).length;
  const what = count === 1 ? "1 record is" : `${count} records are`;
  if (count && !window.confirm(`${what} kept on this phone only and will go in when you are next logged in here. Log out?`)) return;
  await forgetPages();
  form.dataset.told = "yes";
  form.requestSubmit();
});

// The worker answers for the server while there is no signal.
if ("serviceWorker" in navigator) navigator.serviceWorker.register("/worker.js", { scope: "/" }).catch(() => {});

// Today, and the rounds and the picking list of the trial at hand, are taken along, also by a phone whose first page was a round.
async function takeAlong() {
  const trial = location.pathname.match(/^\/trials\/([^/]+)\/(walk|pick)\//);
  if (!trial || !navigator.onLine) return;
  const last = Number(sessionStorage.getItem("evarlo-along") || 0);
  if (Date.now() - last < 600_000) return;
  await navigator.serviceWorker.ready;
  if (!navigator.serviceWorker.controller) await new Promise((go) => (navigator.serviceWorker.oncontrollerchange = go));
  sessionStorage.setItem("evarlo-along", String(Date.now()));
  for (const page of ["/", `/trials/${trial[1]}/walk/`, `/trials/${trial[1]}/pick/`]) await fetch(page, { priority: "low" });
}
if (mine && "serviceWorker" in navigator) window.addEventListener("load", () => takeAlong().catch(() => {}));

async function begin() {
  const again = document.body.dataset.lost && (await takeBack(document.body.dataset.lost));
  if ((document.querySelector("[data-walk]") && !again) || !light || !(await showKept())) return; // a walk brings in by itself
  await bringIn();
  await showKept();
  document.dispatchEvent(new CustomEvent("brought-in"));
}
window.addEventListener("online", () => begin().catch(() => {}));
letGo().catch(() => {});
begin().catch(() => {}); // a browser that keeps nothing for pages has nothing to bring in
