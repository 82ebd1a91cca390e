// Counting down a list: a number and Enter keeps it and goes to the next line; what could not be sent stays typed.

const lines = () => [...document.querySelectorAll("[data-count-line]")];
const fieldOf = (line) => line?.querySelector("input[name=plants]");
let sent = -1;

document.addEventListener("keydown", (event) => {
  const line = event.target.closest("[data-count-line]");
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
  if (!line || !step) return;
  fieldOf(lines()[lines().indexOf(line) + step])?.focus();
  event.preventDefault();
});

document.addEventListener("htmx:beforeRequest", (event) => {
  const line = event.target.closest?.("[data-count-line]");
  if (line) sent = lines().indexOf(line);
});

document.addEventListener("htmx:afterSettle", (event) => {
  if (sent < 0 || !event.target.closest?.("[data-count-line]")) return;
  const wrong = lines()[sent]?.querySelector(".error");
  const next = fieldOf(lines()[wrong ? sent : sent + 1]);
  sent = -1;
  if (next) {
    next.focus();
    next.select();
  }
});
