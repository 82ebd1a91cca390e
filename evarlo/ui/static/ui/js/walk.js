// One question of a walk: the keypad, the keys, and an answer that waits on this page while there is no connection.

const WAITING = "evarlo-waiting";
const waitingFor = () => JSON.parse(localStorage.getItem(WAITING) || "null");

document.addEventListener("alpine:init", () => {
  Alpine.data("walk", () => ({
    typed: "", reasons: false, noting: false, waiting: false,

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
    send() { this.$nextTick(() => htmx.trigger(document.getElementById("score-form"), "submit")); },
  }));
});

const state = () => { const box = document.getElementById("score"); return box && box.dataset.plot ? Alpine.$data(box) : null; };

// No connection: the answer is set down in this browser, shown, and sent again by itself until the server has it.
let again = 0;
function hold(event) {
  const form = event.target.closest("#score-form");
  if (!form) return;
  const answer = Object.fromEntries(new FormData(form));
  const box = document.getElementById("score");
  localStorage.setItem(WAITING, JSON.stringify({ ...answer, round: box.dataset.round, plot: box.dataset.plot, url: form.action }));
  state().waiting = true;
  clearTimeout(again);
  again = setTimeout(sendAgain, 4000);
}
function sendAgain() {
  const form = document.getElementById("score-form");
  if (form && state() && state().waiting) htmx.trigger(form, "submit");
}
document.addEventListener("htmx:sendError", hold);
document.addEventListener("htmx:timeout", hold);
window.addEventListener("online", sendAgain);
document.addEventListener("htmx:afterOnLoad", (event) => {
  if (!event.target.closest("#score")) return;
  if (event.detail.requestConfig.verb === "post") { clearTimeout(again); localStorage.removeItem(WAITING); }
});

// The page was loaded anew while an answer was still waiting: it is sent under its own name, so it is kept once.
async function bringIn() {
  const kept = waitingFor();
  const box = document.getElementById("score");
  if (!kept || !box || kept.round !== box.dataset.round) return;
  const form = new FormData();
  for (const name of ["key", "plot", "value", "cause", "note", "sure"]) if (kept[name]) form.set(name, kept[name]);
  const token = document.querySelector("[name=csrfmiddlewaretoken]").value;
  try {
    const answer = await fetch(kept.url, { method: "POST", body: form, headers: { "X-CSRFToken": token, "HX-Request": "true" } });
    if (!answer.ok) return;
    localStorage.removeItem(WAITING);
    htmx.ajax("GET", `?at=`, { target: "#score", swap: "outerHTML" });
    htmx.trigger(document.body, "ground-changed");
  } catch { setTimeout(bringIn, 4000); }
}
document.addEventListener("DOMContentLoaded", bringIn);

document.addEventListener("keydown", (event) => {
  const walk = state();
  if (!walk || event.ctrlKey || event.metaKey || event.altKey || document.getElementById("keys").open) return;
  const target = event.target;
  if (target.id === "note" || target.id === "jump" || target.tagName === "SELECT") return;
  if (walk.reasons && "1234".includes(event.key)) {
    document.querySelectorAll(".reasons button")[Number(event.key) - 1].click();
    event.preventDefault();
  } else if (event.key === "x") { walk.toggleReasons(); event.preventDefault(); }
  else if (event.key === "n") { walk.toggleNote(); event.preventDefault(); }
  else if (event.key === "b") {
    const back = document.querySelector(".strip-tag.here")?.previousElementSibling;
    if (back) back.click();
    event.preventDefault();
  } else if (document.getElementById("score").dataset.kind === "score" && /^[1-9]$/.test(event.key) && target.id !== "layer") {
    walk.say(event.key);
    event.preventDefault();
  } else if (target.id !== "value" && /^[0-9.,]$/.test(event.key)) { walk.press(event.key); event.preventDefault(); }
});
