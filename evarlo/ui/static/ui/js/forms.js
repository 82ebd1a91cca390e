// Forms of a whole page with `data-kept`: without a connection or a log-in what was typed goes into this phone's database, and in
// from there when there is one. What the server then does not take is said on every page until somebody has seen to it.

import { FULL, newKey } from "./queue.js";
import { all, drop, put } from "./store.js";

const PROOFS = ["csrfmiddlewaretoken", "act-key", "key"];

// Kept under the form's own key, so that it is one act even if the form is sent once more by hand.
export async function keepForm(form) {
  const key = form.elements["act-key"];
  const fields = [...new FormData(form)].filter(([name]) => !PROOFS.includes(name)).map(([name, value]) => [name, String(value)]);
  const record = {
    key: key.value,
    url: new URL(form.action).pathname,
    page: location.pathname + location.search,
    who: Number(form.dataset.kept),
    fields,
    shown: form.dataset.shown || document.title.split(" · ")[0],
    made: Date.now(),
  };
  key.value = newKey(); // what is typed next is another act
  try {
    await put("records", record);
  } catch {
    return FULL;
  }
  return "";
}

// One notice for each form that was not taken: why, and what there is to do about it.
export async function showRefused(box) {
  const refused = (await all("records")).filter((r) => r.page && r.refused);
  box.querySelectorAll("[data-refused]").forEach((e) => e.remove());
  for (const record of refused) {
    const notice = Object.assign(document.createElement("div"), { className: "notice error" });
    notice.dataset.refused = record.key;
    const values = record.fields.map(([, value]) => value).filter(Boolean);
    const text = `${record.shown} – ${values.join(", ").slice(0, 120)} – was not taken. ${record.refused}`;
    const said = Object.assign(document.createElement("p"), { textContent: text });
    const page = Object.assign(document.createElement("a"), { href: record.page, textContent: "Open its page" });
    const leave = Object.assign(document.createElement("button"), {
      type: "button",
      className: "quiet",
      textContent: "Leave it out",
    });
    leave.addEventListener("click", async () => {
      await drop("records", record.key);
      await showRefused(box);
    });
    notice.append(said, page, leave);
    box.append(notice);
  }
}
