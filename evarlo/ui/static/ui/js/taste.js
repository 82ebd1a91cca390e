// A judge's own ballot: one dish after the other with a rest between, and every score kept on this phone until the server has it.

import { newKey } from "./queue.js";

const ballot = document.querySelector("[data-ballot]");
const dishes = [...ballot.querySelectorAll("form.dish")];
const STORE = `taste-${ballot.dataset.ballot}`;
const PAUSE = Number(ballot.dataset.pause) * 1000;
const AGAIN = 3000; // milliseconds until what could not be sent is tried again

const kept = () => JSON.parse(localStorage.getItem(STORE) ?? '{"scores":{},"waiting":[],"at":0}');
const keep = (state) => localStorage.setItem(STORE, JSON.stringify(state));
const scoreOf = (dish) => kept().scores[dish.dataset.dish] ?? dish.dataset.scored;
let open = null; // the dish that is shown again to be changed
let ticking = 0;

function show() {
  clearTimeout(ticking);
  const { waiting, at } = kept();
  const last = [...dishes].reverse().find((d) => scoreOf(d));
  const next = dishes.find((d) => !scoreOf(d));
  const left = next && last && !open ? at + PAUSE - Date.now() : 0;
  const shown = open ?? (left > 0 ? null : next);
  dishes.forEach((dish) => {
    dish.hidden = dish !== shown;
    dish.querySelectorAll("[name=score]").forEach((b) => b.setAttribute("aria-pressed", String(b.value === String(scoreOf(dish)))));
  });
  const rest = ballot.querySelector("[data-rest]");
  rest.hidden = left <= 0;
  if (left > 0) {
    rest.textContent = `Rinse with water and rest: ${Math.ceil(left / 1000)} s until the next dish.`;
    ticking = setTimeout(show, Math.min(left, 500));
  }
  ballot.querySelector("[data-done]").hidden = Boolean(next || open);
  ballot.querySelector("[data-state]").textContent = waiting.length
    ? `${waiting.length} kept on this phone; in as soon as there is a connection.`
    : last
      ? "All you scored is in."
      : "";
  ballot.querySelector("[data-before]").open = !last;
}

function score(dish, value) {
  const state = kept();
  const code = dish.dataset.dish;
  if (!open) state.at = Date.now();
  state.scores[code] = value;
  state.waiting = [...state.waiting.filter((w) => w.dish !== code), { dish: code, score: value }];
  keep(state);
  open = null;
  show();
  send();
}

let sending = false;
async function send() {
  if (sending) return;
  sending = true;
  try {
    for (let state = kept(); state.waiting.length; state = kept()) {
      const [first] = state.waiting;
      const body = new FormData(dishes.find((d) => d.dataset.dish === first.dish));
      body.set("score", first.score);
      body.set("act-key", newKey()); // another score is another act
      const answer = await fetch(ballot.dataset.url, { method: "POST", body, headers: { Accept: "application/json" } });
      if (answer.status === 422) {
        const { said } = await answer.json();
        drop(first);
        show();
        ballot.querySelector("[data-state]").textContent = said;
        return;
      }
      if (!answer.ok) throw new Error(String(answer.status));
      drop(first);
    }
    show();
  } catch {
    setTimeout(send, AGAIN); // no connection: it stays on this phone
  } finally {
    sending = false;
  }
}

// What was sent leaves the queue, unless it was changed meanwhile.
function drop(sent) {
  const state = kept();
  state.waiting = state.waiting.filter((w) => w.dish !== sent.dish || w.score !== sent.score);
  keep(state);
}

ballot.addEventListener("submit", (event) => {
  event.preventDefault();
  if (event.submitter) score(event.target, event.submitter.value);
});
ballot.querySelector("[data-again]").addEventListener("click", () => {
  open = dishes.at(-1);
  show();
});
document.addEventListener("keydown", (event) => {
  const dish = dishes.find((d) => !d.hidden);
  if (dish && /^[1-9]$/.test(event.key) && !event.repeat && !event.ctrlKey && !event.metaKey) score(dish, event.key);
});
window.addEventListener("online", send);
show();
send();
