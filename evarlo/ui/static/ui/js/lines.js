// Where the rhythm is a number and Enter: what is typed goes into this phone's database first and the next line is there at once.
// The field that is being typed in is never drawn anew; answers arrive beside it.
//
// A form with `data-line` is such a line. `data-path` and `data-waiting` name the plots it goes through, `data-clears` the fields
// that begin empty on the next one; without a path the next line is the next such form of the page.

import { showKept } from "./light.js";
import { FULL, bringIn, newKey, post } from "./queue.js";
import { all, drop, put } from "./store.js";

const NUMBER = /^[−-]?(\d+([.,]\d*)?|[.,]\d+)(\s*\S+)?$/;
const KEPT_SHOWN = 8; // the newest lines that went in stay in sight, each with its way back

const forms = () => [...document.querySelectorAll("form[data-line]")];
const formOf = (record) => forms().find((f) => new URL(f.action).pathname === record.url);
const needsOf = (form) => form.dataset.needs.split(" ");
const firstOf = (form) => form.querySelector("input:not([type=hidden])");
const figureOf = (form) => form.querySelector(`[name="${needsOf(form)[0]}"]`);
const list = document.querySelector("[data-line-answers]");
let putting = Promise.resolve();
let timer = 0;

// What stands in the fields, as the browser would send it.
function fieldsOf(form) {
  const fields = [...new FormData(form)].filter(([name]) => !["csrfmiddlewaretoken", "act-key", "key"].includes(name));
  const beside = form.dataset.with ? [...document.querySelectorAll(form.dataset.with)] : [];
  return [...fields, ...beside.map((f) => [f.name, f.value])].map(([name, value]) => [name, String(value).trim()]);
}

// What can be seen to be wrong without the server: it is said at once, and what was typed stays.
function wrongWith(form, fields) {
  const typed = Object.fromEntries(fields);
  const expected = JSON.parse(form.dataset.expected || "{}");
  const needs = needsOf(form);
  if (!typed.nought && needs.every((name) => !typed[name])) return [needs[0], form.dataset.nothing];
  for (const [name, what] of Object.entries(expected))
    if (typed[name] && !NUMBER.test(typed[name])) return [name, `Found “${typed[name].slice(0, 24)}”. Expected ${what}.`];
  const path = pathOf(form);
  if (path && !path.some((n) => n.toLowerCase() === typed.plot.toLowerCase()))
    return [
      "plot",
      typed.plot
        ? `Found “${typed.plot.slice(0, 24)}”. Expected a plot of this trial.`
        : "Nothing was typed. Expected a plot number.",
    ];
  return null;
}

function sayWrong(form, name, said) {
  form.querySelectorAll(".error").forEach((e) => e.remove());
  form.querySelectorAll(".wrong").forEach((e) => e.classList.remove("wrong"));
  form.querySelectorAll("[aria-invalid]").forEach((e) => e.removeAttribute("aria-invalid"));
  if (!said) return;
  const input = form.querySelector(`[name="${name}"]`);
  const box = input.closest(".field") || form;
  box.classList.add("wrong");
  const p = Object.assign(document.createElement("p"), { className: "error", textContent: said });
  p.setAttribute("role", "alert");
  box.append(p);
  input.setAttribute("aria-invalid", "true");
  input.focus();
}

const pathOf = (form) => form.dataset.path && JSON.parse(form.dataset.path);

// What the plot had the last time, beside what is weighed now.
function sayBeside(form) {
  const place = form.querySelector("[data-beside-said]");
  const { value } = form.querySelector("[name=plot]");
  const known = JSON.parse(form.dataset.beside || "{}");
  if (place) place.textContent = known[Object.keys(known).find((n) => n.toLowerCase() === value.trim().toLowerCase())] ?? "";
}

// The next plot along the path that has nothing yet on this day.
function goOn(form, fields) {
  const path = pathOf(form);
  if (!path) return firstOf(forms()[forms().indexOf(form) + 1] ?? form);
  const { plot } = Object.fromEntries(fields);
  const waiting = new Set(JSON.parse(form.dataset.waiting).filter((n) => n.toLowerCase() !== plot.toLowerCase()));
  form.dataset.waiting = JSON.stringify([...waiting]);
  const at = path.findIndex((n) => n.toLowerCase() === plot.toLowerCase());
  const next = [...path.slice(at + 1), ...path.slice(0, at)].find((n) => waiting.has(n)) ?? "";
  for (const name of form.dataset.clears.split(" ")) {
    const input = form.querySelector(`[name="${name}"]`);
    if (input.type === "checkbox") input.checked = false;
    else input.value = "";
  }
  form.querySelector("[name=plot]").value = next;
  sayBeside(form);
  form.querySelector("[data-sure]")?.setAttribute("hidden", "");
  return next ? figureOf(form) : form.querySelector("[name=plot]");
}

// `pressed` is the button that says why there is nothing to weigh.
function take(form, pressed) {
  const fields = fieldsOf(form);
  if (pressed?.name) fields.push([pressed.name, pressed.value]);
  const wrong = wrongWith(form, fields);
  if (wrong) {
    sayWrong(form, ...wrong);
    return;
  }
  sayWrong(form, "", "");
  const typed = Object.fromEntries(fields);
  const named = form.dataset.named || (typed.plot ? `Plot ${typed.plot}` : "");
  const figures = needsOf(form)
    .map((name) => typed[name])
    .filter(Boolean);
  keep({
    key: newKey(),
    url: new URL(form.action).pathname,
    who: Number(form.dataset.who),
    fields,
    shown: `${named}: ${pressed?.dataset.words ?? `${figures.join(" + ")} ${form.dataset.unit || ""}`}`.trim(),
    made: Date.now(),
  });
  const next = goOn(form, fields);
  next.focus();
  next.select?.();
}

function keep(record) {
  show(record, "waiting", "");
  putting = putting.then(async () => {
    try {
      await put("records", record);
      const item = list?.querySelector(`[data-key="${record.key}"]`);
      if (item) item.dataset.put = "yes";
      await showKept();
    } catch {
      show(record, "refused", FULL);
    }
  });
  putting.then(send);
}

async function send() {
  clearTimeout(timer);
  const why = await bringIn(answered);
  await showKept();
  await settle();
  sayWhy(why);
  if (why) timer = setTimeout(send, why === "offline" ? 4000 : 15000);
}

// What another tab brought in meanwhile is saved too.
async function settle() {
  const here = new Set((await all("records")).map((r) => r.key));
  for (const item of list?.querySelectorAll("li.waiting") ?? []) {
    if (here.has(item.dataset.key) || !item.dataset.put) continue;
    item.className = "kept";
    item.querySelector("span").lastChild.textContent = " saved";
  }
}

// Why what was typed is not on the server yet, where a person can do something about it.
function sayWhy(why) {
  document.querySelector("[data-line-why]")?.remove();
  const said = {
    locked: "You are no longer logged in. What you typed is kept on this phone and goes in once you are: ",
    another: "Some of what is kept on this phone is another person's; it goes in when they are logged in here.",
  }[why];
  if (!said) return;
  const p = Object.assign(document.createElement("p"), { className: "warned", textContent: said });
  p.dataset.lineWhy = "";
  if (why === "locked")
    p.append(Object.assign(document.createElement("a"), { href: "/people/log-in/", target: "_blank", textContent: "log in" }));
  forms()[0]?.before(p);
}

function answered(record, answer) {
  show(record, answer.state, answer.said || "", answer);
  if (answer.state === "kept" && answer.html) renew(answer.html);
}

// The parts beside the line, from the server's answer; what was opened there stays open.
function renew(html) {
  const page = new DOMParser().parseFromString(html, "text/html");
  for (const part of document.querySelectorAll("[data-line-part]")) {
    const fresh = page.getElementById(part.id);
    if (!fresh) continue;
    const opened = [...part.querySelectorAll("details")].map((d) => d.open);
    part.replaceChildren(...fresh.childNodes);
    part.querySelectorAll("details").forEach((d, i) => (d.open ||= opened[i] ?? false));
    window.htmx?.process(part);
  }
  document.body.dispatchEvent(new CustomEvent("counted"));
  document.body.dispatchEvent(new CustomEvent("ground-changed"));
}

async function undo(form, key) {
  const url = form.dataset.undo.replace("00000000-0000-0000-0000-000000000000", key);
  const answer = await post(url);
  if (!answer?.ok) {
    const said = answer?.status === 422 ? await answer.text() : "It could not be taken back: there is no connection. Try again.";
    sayWrong(form, "plot", said);
    return false;
  }
  renew(await answer.text());
  return true;
}

// One line of what was typed: on its way, saved, or not, with what there is to do about it.
function show(record, state, said, answer = {}) {
  const form = formOf(record);
  if (!form) return;
  if (!pathOf(form)) {
    const line = form;
    line.classList.toggle("kept", state === "kept");
    line.querySelectorAll(".error").forEach((e) => e.remove());
    if (state === "refused") {
      const p = Object.assign(document.createElement("p"), { className: "error", textContent: said });
      line.append(p);
      if (!line.contains(document.activeElement)) firstOf(line).value = record.fields[0][1];
      drop("records", record.key).then(showKept); // it stands in its line again, to be mended there
    }
    return;
  }
  let item = list.querySelector(`[data-key="${record.key}"]`);
  if (!item) {
    item = document.createElement("li");
    item.dataset.key = record.key;
    list.prepend(item);
  }
  item.className = state;
  const words = { waiting: "kept here, on its way", kept: "saved", refused: said };
  const text = document.createElement("span");
  text.append(Object.assign(document.createElement("b"), { textContent: record.shown }), ` ${words[state] ?? said}`);
  item.replaceChildren(text);
  if (state === "kept" && form.dataset.undo)
    item.append(button("Undo", async () => ((await undo(form, record.key)) ? item.remove() : null)));
  if (state === "refused") item.append(...mending(record, answer.asks || record.asks || [], item));
  const over = [...list.querySelectorAll("li.kept")].slice(KEPT_SHOWN);
  over.forEach((e) => e.remove());
}

function button(words, act) {
  const made = Object.assign(document.createElement("button"), { type: "button", className: "quiet", textContent: words });
  made.addEventListener("click", act);
  return made;
}

// What can be done about a line that was not taken: answer its question, type it anew, or leave it.
function mending(record, asks, item) {
  const gone = async () => {
    item.remove();
    await drop("records", record.key);
    await showKept();
  };
  const sendAgain = (words, fields) =>
    button(words, async () => {
      await gone();
      keep({ ...record, refused: undefined, asks: undefined, key: newKey(), fields });
    });
  const ways = asks.length
    ? asks.map((a) => sendAgain(a.words, [...record.fields.filter(([name]) => name !== a.name), [a.name, a.value]]))
    : [sendAgain("Send again", record.fields)];
  const mend = button("Type it anew", async () => {
    const form = formOf(record);
    for (const [name, value] of record.fields) {
      const input = form.querySelector(`[name="${name}"]`);
      if (input?.type === "checkbox") input.checked = Boolean(value);
      else if (input) input.value = value;
    }
    await gone();
    figureOf(form).focus();
  });
  return [...ways, mend, button("Leave it out", gone)];
}

document.addEventListener(
  "submit",
  (event) => {
    if (!event.target.matches("form[data-line]")) return;
    event.preventDefault();
    take(event.target, event.submitter?.dataset.words ? event.submitter : null);
  },
  true,
);
// For another day nothing is known to be weighed already: every plot is gone through.
document.addEventListener("change", (event) => {
  const form = event.target.closest?.("form[data-path]");
  if (form && event.target.name === "on") form.dataset.waiting = form.dataset.path;
});
document.addEventListener("input", (event) => {
  const form = event.target.closest?.("form[data-path]");
  if (form && event.target.name === "plot") sayBeside(form);
});
document.addEventListener("focusin", (event) => {
  if (event.target.matches("form[data-line]:not([data-path]) input")) event.target.select(); // a new figure takes the old one's place
});
document.addEventListener("keydown", (event) => {
  const form = event.target.closest?.("form[data-line]");
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  const why = form?.querySelector(`[data-key="${event.key}"]`);
  if (why && event.target.matches("[inputmode]") && !event.ctrlKey && !event.metaKey && !event.altKey) {
    event.preventDefault();
    why.click();
    return;
  }
  if (form?.dataset.path && step && event.target.tagName === "INPUT" && event.target.type === "text") {
    const inputs = [...form.querySelectorAll("input[inputmode]")];
    inputs[inputs.indexOf(event.target) + step]?.focus();
    event.preventDefault();
    return;
  }
  if (!form || !step || forms().length < 2) return;
  const to = forms()[forms().indexOf(form) + step];
  if (to) firstOf(to).focus();
  event.preventDefault();
});
document.addEventListener("click", async (event) => {
  const back = event.target.closest("[data-undo]:not(form)");
  const form = back && document.querySelector("form[data-undo]");
  if (form) await undo(form, back.dataset.undo);
});
window.addEventListener("online", send);
window.addEventListener("focus", send);

// What was typed here before and is not on the server yet is shown again.
for (const record of await all("records").catch(() => []))
  if (record.fields && forms().some((f) => Number(f.dataset.who) === record.who))
    show(record, record.refused ? "refused" : "waiting", record.refused || "");
send().catch(() => {});
