// The queue of what the server does not have yet. A record goes into this phone's database first, always; only an answer of the
// server takes it out again.

import { all, drop, put } from "./store.js";

const token = () => document.cookie.match(/(?:^|; )csrftoken=([^;]+)/)?.[1] || "";

// Bring everything in that waits, a hundred at a time and in the order in which it was made. Says how it went: "" when all went
// well, else why records are still here. Only one tab does it at a time.
export async function bringIn(told = () => {}) {
  const work = () => bringAll(told);
  return navigator.locks ? navigator.locks.request("evarlo-bring-in", work) : work();
}

async function bringAll(told) {
  const waiting = (await all("records")).filter((r) => !r.refused).sort((a, b) => a.made - b.made);
  const groups = grouped(waiting.filter((r) => !r.photo));
  for (const records of groups.values()) {
    for (let i = 0; i < records.length; i += 100) {
      const why = await bringSome(records.slice(i, i + 100), told);
      if (why) return why;
    }
  }
  for (const r of waiting.filter((x) => x.photo)) {
    const why = await bringPhoto(r);
    if (why) return why;
  }
  return "";
}

// Pictures go in one by one, after the values, which are smaller and matter more.
async function bringPhoto(r) {
  const form = new FormData();
  for (const [name, value] of Object.entries({ key: r.key, who: r.who, taken: r.made, note: r.note, place: r.place ? "yes" : "" }))
    form.set(name, value);
  form.set("photo", r.photo, "photo");
  let answer;
  try {
    answer = await fetch(r.url, { method: "POST", headers: { "X-CSRFToken": token(), "HX-Request": "true" }, body: form });
  } catch {
    return "offline";
  }
  const why = reason(answer);
  if (why) return why;
  const { state, said } = await answer.json();
  if (state === "kept") await drop("records", r.key);
  else await put("records", { ...r, refused: said });
  return "";
}

// Why an answer leaves records here; "" when it does not.
export const reason = (answer) =>
  [401, 403].includes(answer.status) ? "locked" : answer.status === 409 ? "another" : answer.ok ? "" : "broken";

export function grouped(records) {
  const groups = new Map();
  for (const r of records) {
    const name = `${r.url} ${r.who}`;
    groups.set(name, [...(groups.get(name) || []), r]);
  }
  return groups;
}

async function bringSome(records, told) {
  let answer;
  try {
    answer = await fetch(records[0].url, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": token(), "HX-Request": "true" },
      body: JSON.stringify({ who: records[0].who, clock: Date.now(), records }),
    });
  } catch {
    return "offline";
  }
  const why = reason(answer);
  if (why) return why;
  const { answers } = await answer.json();
  for (const a of answers) {
    const record = records.find((r) => r.key === a.key);
    if (!record) continue;
    if (a.state === "refused") await put("records", { ...record, refused: a.said });
    else await drop("records", record.key);
    await told(record, a);
  }
  return "";
}
