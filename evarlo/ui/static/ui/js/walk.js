// One question of a walk: the keypad, the keys, and an answer that waits on this page while there is no connection.

const WAITING = "evarlo-waiting";
const waitingFor = () => JSON.parse(localStorage.getItem(WAITING) || "null");

document.addEventListener("alpine:init", () => {
  Alpine.data("walk", () => ({
    typed: "", reasons: false, noting: false, waiting: false, locked: false,

    init() {
      const box = this.$root;
      this.typed = box.dataset.typed;
      this.noting = Boolean(this.$refs.note && this.$refs.note.value);
      const kept = waitingFor();
      if (kept && kept.round === box.dataset.round && kept.plot === box.dataset.plot && kept.key === box.dataset.key) this.waiting = true;
      this.$nextTick(() => this.$refs.value.focus());
    },
    press(sign) { this.typed = this.typed + sign; this.$refs.value.focus(); },
    clear() { this.typed = ""; },
    say(text) { this.typed = text; this.send(); },
    because(cause) { this.$refs.cause.value = cause; this.send(); },
    toggleReasons() { this.reasons = !this.reasons; },
    toggleNote() { this.noting = !this.noting; if (this.noting) this.$nextTick(() => this.$refs.note.focus()); },
    send() {
      const form = document.getElementById("score-form");
      form.elements.value.value = this.typed;
      form.requestSubmit(form.querySelector(".keep"));
    },
  }));
});

const state = () => { const box = document.getElementById("score"); return box && box.dataset.plot ? Alpine.$data(box) : null; };

// No connection, or no longer logged in: the answer is set down in this browser, shown, and sent again until the server has it.
let again = 0;
function hold(event) {
  const form = event.target.closest("#score-form");
  if (!form) return;
  const answer = Object.fromEntries(new FormData(form));
  const box = document.getElementById("score");
  localStorage.setItem(WAITING, JSON.stringify({ ...answer, round: box.dataset.round, plot: box.dataset.plot, who: box.dataset.who, url: form.action }));
  const status = event.detail.xhr?.status || 0;
  state().locked = status === 401 || status === 403;
  state().waiting = !state().locked;
  clearTimeout(again);
  if (state().locked) return;
  again = setTimeout(sendAgain, 4000);
}
function sendAgain() {
  const form = document.getElementById("score-form");
  if (form && state()?.waiting) form.requestSubmit(form.querySelector(".keep"));
}
document.addEventListener("htmx:sendError", hold);
document.addEventListener("htmx:timeout", hold);
document.addEventListener("htmx:responseError", hold);
window.addEventListener("online", sendAgain);
document.addEventListener("htmx:afterOnLoad", (event) => {
  if (!event.target.closest("#score")) return;
  const taken = event.detail.xhr.status < 400 || event.detail.xhr.status === 422;
  if (taken && event.detail.requestConfig.verb === "post") { clearTimeout(again); localStorage.removeItem(WAITING); }
});

// The page was loaded anew while an answer was still waiting: it is sent under its own name, so it is kept once.
async function bringIn() {
  const kept = waitingFor();
  const box = document.getElementById("score");
  if (!kept || !box || kept.round !== box.dataset.round || kept.who !== box.dataset.who) return;
  const form = new FormData();
  for (const name of ["key", "plot", "value", "cause", "note", "sure"]) if (kept[name]) form.set(name, kept[name]);
  const token = document.querySelector("[name=csrfmiddlewaretoken]").value;
  try {
    const answer = await fetch(kept.url, { method: "POST", body: form, headers: { "X-CSRFToken": token, "HX-Request": "true" } });
    if (!answer.ok && answer.status !== 422) return;
    localStorage.removeItem(WAITING);
    if (!answer.ok) { htmx.swap("#score", await answer.text(), { swapStyle: "outerHTML" }); return; }
    htmx.ajax("GET", `?at=`, { target: "#score", swap: "outerHTML" });
    htmx.trigger(document.body, "ground-changed");
  } catch { setTimeout(bringIn, 4000); }
}
document.addEventListener("DOMContentLoaded", bringIn);

// The back button brings the page as it was first sent; what is on record is asked for anew, past the browser's own copy.
document.addEventListener("DOMContentLoaded", () => {
  const came = performance.getEntriesByType("navigation")[0];
  if (came?.type === "back_forward" && state()) htmx.ajax("GET", `?at=&asked=${Date.now()}`, { target: "#score", swap: "outerHTML" });
});

// Keys. What is typed while an answer is on its way belongs to the next question and is played there when it comes;
// when the answer is refused instead, it is dropped, for it was meant for another plot.
let sending = false;
let ahead = [];

function play(key) {
  const walk = state();
  if (!walk) return false;
  const kind = document.getElementById("score").dataset.kind;
  if (walk.reasons && "1234".includes(key)) document.querySelectorAll(".reasons button")[Number(key) - 1].click();
  else if (key === "x") walk.toggleReasons();
  else if (key === "n") walk.toggleNote();
  else if (key === "b") document.querySelector(".strip-tag.here")?.previousElementSibling?.click();
  else if (key === "y") document.querySelector(".doubt button")?.click();
  else if (key === "Enter") walk.send();
  else if (kind === "score" && /^[1-9]$/.test(key)) walk.say(key);
  else if (kind !== "date" && /^[0-9.,]$/.test(key)) walk.press(key);
  else return false;
  return true;
}

document.addEventListener("keydown", (event) => {
  if (!state() || event.ctrlKey || event.metaKey || event.altKey || document.getElementById("keys").open) return;
  const target = event.target;
  if (target.matches("#note, #jump, select, button, a, summary")) return;
  if (sending) {
    if (event.key.length === 1 || event.key === "Enter") { ahead.push(event.key); event.preventDefault(); }
    return;
  }
  const typing = target.id === "value" && (/^[0-9.,]$/.test(event.key) || event.key === "Enter");
  const scoring = document.getElementById("score").dataset.kind === "score" || state().reasons;
  if ((!typing || scoring) && play(event.key)) event.preventDefault();
});

const onScore = (event) => event.detail.requestConfig?.verb === "post" && event.target.closest?.("#score");
document.addEventListener("htmx:beforeRequest", (event) => { if (onScore(event)) sending = true; });
document.addEventListener("htmx:afterRequest", (event) => {
  if (event.detail.requestConfig?.verb !== "post") return;
  sending = false;
  const keys = ahead;
  ahead = [];
  if (event.detail.successful) requestAnimationFrame(() => next(keys));
});
function next(keys) {
  while (keys.length && !sending) if (play(keys.shift()) && sending) break;
  ahead = keys;
}
