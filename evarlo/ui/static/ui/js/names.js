// Who writes a cultivar's name into a note of a blind trial is told, as it is typed, that the name will be hidden.

const WRITTEN = "main textarea, main input:not([type]), main input[type=text]";
let names = null; // asked for when somebody begins to write
const LETTER = /[\p{L}\p{N}_]/u;

export function nameIn(text, all) {
  const low = text.toLowerCase();
  for (const name of all) {
    const at = low.indexOf(name.toLowerCase());
    const alone = at >= 0 && !LETTER.test(text[at - 1] || " ") && !LETTER.test(text[at + name.length] || " ");
    if (alone) return name;
  }
  return "";
}

document.addEventListener("input", (event) => {
  if (!names?.length || !event.target.matches(WRITTEN)) return;
  const found = nameIn(event.target.value, names);
  const room = event.target.closest(".field") || event.target.parentElement;
  let said = room.querySelector("[data-masked]");
  if (!found) {
    said?.remove();
    return;
  }
  if (!said) {
    said = Object.assign(document.createElement("p"), { className: "hint" });
    said.dataset.masked = "";
    said.setAttribute("role", "status");
    room.append(said);
  }
  said.textContent = `“${found}” is hidden from those who must not know it while the trial is blind.`;
});

document.addEventListener("focusin", async (event) => {
  if (names || !event.target.matches(WRITTEN)) return;
  names = [];
  const answer = await fetch(document.getElementById("names").dataset.of).catch(() => null);
  if (answer?.ok && !answer.redirected) ({ names } = await answer.json());
  else names = null;
});
