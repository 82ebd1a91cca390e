// The stake of a plot, read at the bench: a hand scanner types its code wherever the hand was; a phone reads it with its camera.

import { canScan, scan } from "./walk/camera.js";
import { Scanner } from "./walk/keys.js";

const form = document.querySelector("form[data-stake]");
const CODE = /^T\d+-/i;
const scanner = new Scanner();
let camera = null;

function say(words) {
  const place = form.querySelector("[data-stake-said]");
  place.textContent = words;
  place.hidden = !words;
}

// To the plot of this stake, and on to the first figure; a stake of another trial is said, and nothing typed is lost.
function go(code) {
  const plot = form.elements.plot;
  const ours = code.startsWith(form.dataset.stake);
  plot.value = ours ? code.slice(form.dataset.stake.length) : code;
  plot.dispatchEvent(new Event("input", { bubbles: true }));
  say(ours ? "" : "That stake is of another trial.");
  (ours ? form.elements[form.dataset.needs.split(" ")[0]] : plot).focus();
}

async function look() {
  const button = form.querySelector("[data-scan]");
  if (camera) {
    camera.stop();
    return;
  }
  const box = form.querySelector("[data-camera]");
  box.hidden = false;
  camera = scan(box);
  button.textContent = "Stop the camera";
  try {
    const code = await camera.code;
    if (code) go(code);
  } catch {
    say("The camera cannot be used here. Type the plot's number.");
  } finally {
    box.hidden = true;
    camera = null;
    button.textContent = "Scan a stake";
  }
}

if (form) {
  form.addEventListener(
    "keydown",
    (event) => {
      const { target } = event;
      if (target.name === "plot" && event.key === "Enter" && CODE.test(target.value)) {
        event.preventDefault();
        go(target.value.trim());
        return;
      }
      if (!target.matches("[inputmode]") || event.ctrlKey || event.metaKey || event.altKey) return;
      if (!scanner.take(event.key, "", go)) return;
      event.preventDefault();
      event.stopPropagation();
    },
    true,
  );
  const button = form.querySelector("[data-scan]");
  button.hidden = !canScan();
  button.addEventListener("click", look);
}
