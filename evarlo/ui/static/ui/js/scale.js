// The scale of the weigh-in bench: what lies on it stands beside the fields, and goes into the one that is being typed in when
// it is taken, or by itself once it is steady.

const bench = document.querySelector("[data-bench-scale]");
const form = bench?.closest("form");
const EVERY = 400; // milliseconds from one reading to the next
const SAID = { steady: "steady", moving: "still moving", over: "more than it can weigh", off: "the scale does not answer" };
let last = { figure: null, state: "off", empty: true };
let ready = true; // something else was laid on since the last weight was taken

const weights = () => form.dataset.needs.split(" ").map((name) => form.elements[name]);
const typedIn = () => weights().find((input) => input === document.activeElement);
const firstEmpty = () => weights().find((input) => !input.value);

function take(input) {
  if (last.state !== "steady" || last.empty) {
    const why = last.state === "steady" ? "nothing lies on the scale" : SAID[last.state];
    bench.querySelector("[data-scale-state]").textContent = why;
    return;
  }
  input.value = last.figure;
  input.dispatchEvent(new Event("input", { bubbles: true }));
  input.focus();
  input.select();
  ready = false;
}

async function read() {
  try {
    const answer = await fetch(bench.dataset.benchScale, { cache: "no-store", headers: { Accept: "application/json" } });
    last = answer.ok ? await answer.json() : { figure: null, state: "off", empty: true };
  } catch {
    last = { figure: null, state: "off", empty: true };
  }
  bench.querySelector("[data-scale-figure]").textContent = last.figure ?? "–";
  bench.querySelector("[data-scale-state]").textContent = SAID[last.state];
  bench.dataset.state = last.state;
  if (last.empty) ready = true;
  const next = typedIn()?.value === "" ? typedIn() : firstEmpty();
  if (bench.querySelector("[data-auto]").checked && ready && next && last.state === "steady" && !last.empty) take(next);
}

async function watch() {
  if (!document.hidden) await read();
  setTimeout(watch, EVERY);
}

if (form) {
  bench.querySelector("[data-take]").addEventListener("click", () => take(firstEmpty() ?? weights()[0]));
  form.addEventListener("keydown", (event) => {
    if (event.key !== " " || !weights().includes(event.target)) return;
    event.preventDefault();
    take(event.target);
  });
  watch();
}
