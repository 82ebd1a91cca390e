// A file that is larger than one request may be goes in pieces, each from where the one before it ended; a piece whose answer is
// lost is sent again.

import { newKey, token } from "./queue.js";

const PIECE = 8_000_000; // bytes
const TRIES = 5;

const form = document.querySelector("form[data-pieces]");

async function sent(file, name, at) {
  const body = new FormData();
  body.append("name", name);
  body.append("at", at);
  body.append("of", file.size);
  body.append("piece", file.slice(at, at + PIECE));
  for (let n = 1; ; n += 1) {
    try {
      return await fetch(form.dataset.pieces, {
        method: "POST",
        body,
        headers: { "X-CSRFToken": token() },
      });
    } catch (lost) {
      if (n === TRIES) throw lost;
      await new Promise((on) => setTimeout(on, 1000 * n));
    }
  }
}

async function send(file, said) {
  const name = newKey().replaceAll("-", "");
  const bar = Object.assign(document.createElement("progress"), {
    max: file.size,
    value: 0,
  });
  bar.setAttribute("aria-label", "How much has been sent");
  said.replaceChildren(bar);
  for (let at = 0; ;) {
    const answer = await sent(file, name, at);
    const plain = (answer.headers.get("Content-Type") ?? "").includes("json");
    const told = plain
      ? await answer.json()
      : {
          wrong: `It was not taken (answer ${answer.status}). Open the page anew and send it again.`,
        };
    if (told.to) return location.assign(told.to);
    if (!answer.ok) throw new Error(told.wrong);
    at = told.at;
    bar.value = at;
  }
}

form?.addEventListener("submit", async (event) => {
  const [file] = form.querySelector("[type=file]").files;
  if (!file || file.size <= PIECE) return;
  event.preventDefault();
  const said = form.querySelector("[data-pieces-said]");
  const button = form.querySelector("button");
  button.disabled = true;
  try {
    await send(file, said);
  } catch (wrong) {
    said.textContent =
      wrong instanceof TypeError ? "The connection was lost. The file is still chosen: send it again." : wrong.message;
    said.className = "error";
    button.disabled = false;
  }
});
