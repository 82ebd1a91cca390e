// A timer for a task in the field: it goes on while the page is closed, and what it counted goes into the field of minutes.

const form = document.querySelector("form[data-timer]");
const STORE = form && `timer-${form.dataset.timer}`;

const running = () => JSON.parse(localStorage.getItem(STORE) ?? "null");
const two = (n) => String(n).padStart(2, "0");

function show() {
  const now = running();
  form.querySelector("[data-start]").textContent = now ? "Stop, and take the minutes" : "Start the timer";
  form.querySelector("[data-drop]").hidden = !now;
  const seconds = now ? Math.max(0, Math.floor((Date.now() - now.since) / 1000)) : 0;
  const clock = form.querySelector("[data-running]");
  clock.textContent = now ? `${Math.floor(seconds / 60)}:${two(seconds % 60)}` : "";
  clock.hidden = !now;
}

// What was chosen when it was started stands in the fields again when the page is opened anew.
function start() {
  const chosen = Object.fromEntries(["plots", "task", "what", "people"].map((n) => [n, form.elements[n].value]));
  localStorage.setItem(STORE, JSON.stringify({ since: Date.now(), chosen }));
  show();
}

function stop(keep) {
  const now = running();
  localStorage.removeItem(STORE);
  show();
  if (!keep || !now) return;
  const minutes = form.elements.minutes;
  minutes.value = Math.max(0.1, (Date.now() - now.since) / 60000).toFixed(1);
  minutes.focus();
}

if (form) {
  form.querySelector("[data-clock]").hidden = false;
  const now = running();
  if (now) for (const [name, value] of Object.entries(now.chosen)) form.elements[name].value ||= value;
  if (now) form.elements.task.value = now.chosen.task;
  form.querySelector("[data-start]").addEventListener("click", () => (running() ? stop(true) : start()));
  form.querySelector("[data-drop]").addEventListener("click", () => stop(false));
  setInterval(show, 500);
  show();
}
