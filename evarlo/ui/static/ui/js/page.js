import { keepForm, showRefused } from "./forms.js";
import { showKept } from "./light.js";
import { notice } from "./notice.js";
import { token as newestToken } from "./queue.js";

// What every page does: the jump key, key help, arrow keys in tables, and whether what was typed has arrived.

const typing = (target) => target.closest("input, textarea, select, [contenteditable]");

document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  const keys = document.getElementById("keys");
  if (event.key === "/" && !typing(event.target)) {
    const jump = document.getElementById("jump");
    if (jump) {
      jump.focus();
      event.preventDefault();
    }
  } else if (event.key === "?" && !event.target.closest("input:not(#value), textarea, select")) {
    keys.open ? keys.close() : keys.showModal();
    event.preventDefault();
  } else if (event.key === "ArrowDown" || event.key === "ArrowUp") {
    const row = event.target.closest("tr[tabindex], li[tabindex]");
    if (!row || typing(event.target)) return;
    const next = event.key === "ArrowDown" ? row.nextElementSibling : row.previousElementSibling;
    if (next && next.tabIndex === 0) {
      next.focus();
      event.preventDefault();
    }
  }
});

// What was found as one types: arrows go through it, Escape and a touch elsewhere put it away.
const jumpBox = document.getElementById("jump-found");
document.querySelector(".jump")?.addEventListener("keydown", (event) => {
  const links = [...jumpBox.querySelectorAll("a")];
  const at = links.indexOf(document.activeElement);
  if (event.key === "Escape") jumpBox.replaceChildren();
  else if (event.key === "ArrowDown") links[Math.min(at + 1, links.length - 1)]?.focus();
  else if (event.key === "ArrowUp") (at > 0 ? links[at - 1] : document.getElementById("jump")).focus();
  else return;
  event.preventDefault();
});
document.addEventListener("click", (event) => {
  if (jumpBox && !event.target.closest(".jump")) jumpBox.replaceChildren();
  if (event.target.closest("[data-print]")) window.print();
});

// After a refusal the first field that needs correcting is at hand; who is in another field already stays there.
if (document.activeElement === document.body) document.querySelector("main [aria-invalid=true]:not([type=hidden])")?.focus();

// A password can be read while it is typed: on a phone, in gloves, it is typed once and not twice.
for (const field of document.querySelectorAll("input[type=password]")) {
  const eye = document.createElement("button");
  eye.type = "button";
  eye.className = "quiet show";
  eye.textContent = "Show";
  eye.addEventListener("click", () => {
    field.type = field.type === "password" ? "text" : "password";
    eye.textContent = field.type === "password" ? "Show" : "Hide";
    field.focus();
  });
  field.after(eye);
}
document.addEventListener("change", (event) => {
  if (event.target.matches("select[data-go]")) event.target.form.requestSubmit();
});

// A form of a whole page is sent once, however often its button is pressed, and only while someone is logged in: what was
// typed would be lost on the way to the log-in. Coming back to the page frees it.
async function mayGo() {
  try {
    const answer = await fetch("/people/here/", { headers: { "HX-Request": "true" }, cache: "no-store" });
    return answer.ok
      ? ""
      : "You are no longer logged in. Log in in another tab, then send this again: what you typed is still here.";
  } catch {
    return OFFLINE;
  }
}
const OFFLINE = "No connection: nothing was sent. What you typed is still here; send it again when there is one.";
const KEPT = "No connection: it is kept on this phone and goes in when there is one.";

document.addEventListener("submit", async (event) => {
  const form = event.target;
  if (form.method !== "post" || event.defaultPrevented) return;
  if (form.dataset.sent === "going") {
    form.dataset.sent = "yes";
    return;
  }
  if (form.dataset.sent) {
    event.preventDefault();
    return;
  }
  form.dataset.sent = "yes";
  if (form.hasAttribute("data-door")) return;
  event.preventDefault();
  const wrong = await mayGo();
  if (wrong) {
    const full = wrong === OFFLINE && form.dataset.kept ? await keepForm(form) : wrong;
    notice(full || KEPT, full ? "error" : "success");
    await showKept();
    delete form.dataset.sent;
    return;
  }
  const token = form.querySelector("[name=csrfmiddlewaretoken]");
  if (token && newestToken()) token.value = newestToken();
  form.dataset.sent = "going";
  form.requestSubmit(event.submitter);
});
window.addEventListener("pageshow", () => {
  for (const form of document.querySelectorAll("form[data-sent]")) delete form.dataset.sent;
});

// Without a signal the page is the one that was last opened here, and says so.
if (document.body.dataset.copy) {
  const at = new Date(document.body.dataset.copy).toLocaleString([], { dateStyle: "medium", timeStyle: "short" });
  notice(
    `No signal: this page is as it was on ${at}. What you save is kept on this phone and goes in when there is one.`,
    "warning",
  );
}
const showAll = () => showRefused(document.getElementById("notices")).catch(() => {});
showAll();
document.addEventListener("brought-in", showAll);

// The light on the top bar says whether everything has reached the server.
const light = document.querySelector("[data-link]");
function say(text, waiting) {
  if (!light || light.querySelector("b").textContent === text || (!waiting && Number(light.dataset.kept))) return;
  light.classList.toggle("waiting", waiting);
  light.querySelector("b").textContent = text;
}
window.addEventListener("offline", () => say("No connection", true));
window.addEventListener("online", () => say("All saved", false));
document.addEventListener("htmx:beforeRequest", (event) => {
  if (event.detail.requestConfig.verb === "post") say("Saving…", true);
});
document.addEventListener("htmx:afterOnLoad", (event) => {
  const status = event.detail.xhr.status;
  if (status === 422) say("Not kept yet", true);
  else if (status < 400) say("All saved", false);
});
document.addEventListener("htmx:sendError", () => say("No connection: kept on this page", true));
document.addEventListener("htmx:timeout", () => say("No answer: kept on this page", true));
document.addEventListener("htmx:responseError", (event) => {
  const status = event.detail.xhr.status;
  say(status === 401 || status === 403 ? "Not kept: log in again" : "Not kept: the server could not take it", true);
});

// Whoever logged in again in another tab goes on here: the proof that a form is ours is the browser's newest.
document.addEventListener("htmx:configRequest", (event) => {
  const newest = newestToken();
  if (!newest) return;
  event.detail.headers["X-CSRFToken"] = newest;
  if (event.detail.parameters.csrfmiddlewaretoken) event.detail.parameters.csrfmiddlewaretoken = newest;
});
