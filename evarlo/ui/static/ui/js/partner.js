// A partner's table: what is typed lies on this phone until the server has it.

import { newKey } from "./queue.js";

const form = document.querySelector("[data-partner]");
const state = document.querySelector("[data-state]");
const STORE = `partner-${form.dataset.partner}`;
const [AGAIN, PAUSE] = [4000, 700]; // milliseconds until what could not be sent is tried again, and after the last key

// By field: what was typed, and what the server had when it was.
const kept = () => JSON.parse(localStorage.getItem(STORE) ?? "{}");
const keep = (typed) => localStorage.setItem(STORE, JSON.stringify(typed));
const fields = () => [...form.querySelectorAll("[name^=v_]")];
const wasOf = (field) => form.elements[`w_${field.name.slice(2)}`];
const errorOf = (field) => document.getElementById(`e_${field.name.slice(2)}`);

function say() {
  const waiting = Object.keys(kept()).length;
  const wrong = fields().filter((f) => f.getAttribute("aria-invalid") === "true").length;
  if (wrong) state.textContent = `${wrong === 1 ? "1 value" : `${wrong} values`} could not be kept: see below.`;
  else if (waiting) state.textContent = `${waiting === 1 ? "1 value" : `${waiting} values`} on this phone, not sent yet.`;
  else state.textContent = fields().some((f) => f.value) ? "All is with the trial." : "";
}

function wrongWith(field, said) {
  errorOf(field).textContent = said;
  errorOf(field).hidden = !said;
  if (said) field.setAttribute("aria-invalid", "true");
  else field.removeAttribute("aria-invalid");
}

function typed(field) {
  const now = kept();
  if (field.value.trim() === wasOf(field).value.trim()) delete now[field.name];
  else now[field.name] = { value: field.value, was: wasOf(field).value };
  keep(now);
  wrongWith(field, "");
  say();
}

let [sending, timer] = [false, 0];
async function send() {
  clearTimeout(timer);
  const waiting = kept();
  if (sending || !Object.keys(waiting).length) return;
  sending = true;
  try {
    const body = new FormData();
    body.set("csrfmiddlewaretoken", form.elements.csrfmiddlewaretoken.value);
    body.set("act-key", newKey());
    for (const [name, { value, was }] of Object.entries(waiting)) {
      body.set(name, value);
      body.set(`w_${name.slice(2)}`, was);
    }
    const answer = await fetch(form.action, { method: "POST", body, headers: { Accept: "application/json" } });
    if (answer.status >= 500) throw new Error(String(answer.status));
    const { wrong = {}, said } = await answer.json();
    if (said) {
      state.textContent = said;
      return;
    }
    taken(waiting, wrong);
    say();
  } catch {
    timer = setTimeout(send, AGAIN); // no connection: it stays on this phone
    say();
  } finally {
    sending = false;
  }
}

// What the server has leaves the phone, unless it was changed meanwhile; what it cannot keep stays, with the reason.
function taken(sent, wrong) {
  const now = kept();
  for (const [name, { value }] of Object.entries(sent)) {
    const field = form.elements[name];
    const reason = wrong[name.slice(2)] ?? "";
    if (reason) wrongWith(field, reason);
    else {
      wasOf(field).value = value;
      if (now[name]?.value === value) delete now[name];
      else if (now[name]) now[name].was = value;
    }
  }
  keep(now);
}

for (const [name, { value }] of Object.entries(kept())) if (form.elements[name]) form.elements[name].value = value;
form.addEventListener("input", (event) => {
  typed(event.target);
  clearTimeout(timer);
  timer = setTimeout(send, PAUSE);
});
form.addEventListener("submit", (event) => {
  event.preventDefault();
  send();
});
window.addEventListener("online", send);
say();
send();
