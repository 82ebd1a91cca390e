// The queue of what the server does not have yet. A record goes into this phone's database first, always; only an answer of the
// server takes it out again. Three kinds lie in it: a walk's records, pictures, and forms of a line and Enter (`fields`).

import { all, drop, get, put } from "./store.js";

export const token = () => document.cookie.match(/(?:^|; )csrftoken=([^;]+)/)?.[1] || "";
const AT_ONCE = 100;
const NO_RECORD = "The server cannot read this record.";
export const FULL = "This phone could not keep it: its storage is full or closed to this page. Write it down, and free some room.";

// A key of its own for each record; where the page did not come over HTTPS the browser makes none.
export const newKey = () =>
  crypto.randomUUID?.() ||
  "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (c) =>
    (Number(c) ^ (crypto.getRandomValues(new Uint8Array(1))[0] & (15 >> (Number(c) / 4)))).toString(16),
  );

// Bring everything in that waits, a hundred at a time and in the order in which it was made. Says how it went: "" when all went
// well, else why records are still here. Only one tab does it at a time.
export async function bringIn(told = () => {}) {
  const work = () => bringAll(told);
  return navigator.locks ? navigator.locks.request("evarlo-bring-in", work) : work();
}

// One bad record, or one person's who is not here now, holds none of the others up; without a connection or a log-in none go.
async function bringAll(told) {
  const waiting = (await all("records")).filter((r) => !r.refused).sort((a, b) => a.made - b.made);
  let left = "";
  const stops = (why) => {
    left ||= why;
    return ["offline", "locked"].includes(why);
  };
  for (const records of grouped(waiting.filter((r) => !r.photo && !r.fields)).values())
    for (let i = 0; i < records.length; i += AT_ONCE) if (stops(await bringSome(records.slice(i, i + AT_ONCE), told))) return left;
  for (const r of waiting.filter((x) => x.fields)) if (stops(await bringForm(r, told))) return left;
  for (const r of waiting.filter((x) => x.photo)) if (stops(await bringPhoto(r))) return left; // larger, and matter less
  return left;
}

// What the server has answered for stays here for some days: should its disk lose it, it is sent again.
const DAYS = 3;
const MOST = { records: 400, pictures: 20 };

async function saved(record) {
  await put("sent", { ...record, sent: Date.now() }).catch(() => {}); // a phone that is full keeps none of these
  await drop("records", record.key);
}

// Once for each page, not after each record: all that is kept is read for it.
export async function letGo() {
  const sent = (await all("sent")).sort((a, b) => b.sent - a.sent);
  const over = [sent.filter((r) => !r.photo).slice(MOST.records), sent.filter((r) => r.photo).slice(MOST.pictures)].flat();
  const old = sent.filter((r) => Date.now() - r.sent > DAYS * 86_400_000);
  for (const r of new Set([...over, ...old])) await drop("sent", r.key);
}

// The server misses records that it had answered for: those that this phone still holds wait again. Says how many.
export async function takeBack(url) {
  const answer = await fetch(url).catch(() => null);
  if (!answer?.ok) return 0;
  let count = 0;
  for (const key of (await answer.json()).keys) {
    const { sent, ...record } = (await get("sent", key)) ?? {};
    if (!sent) continue;
    await put("records", record);
    await drop("sent", key);
    count += 1;
  }
  return count;
}

export async function post(url, headers = {}, body = undefined) {
  try {
    return await fetch(url, { method: "POST", headers: { "X-CSRFToken": token(), "HX-Request": "true", ...headers }, body });
  } catch {
    return null;
  }
}

// Why an answer leaves records here; "" when it does not.
export const reason = (answer) =>
  !answer
    ? "offline"
    : [401, 403].includes(answer.status)
      ? "locked"
      : answer.status === 409
        ? "another"
        : answer.ok
          ? ""
          : answer.status < 500
            ? "unread"
            : "broken";

export function grouped(records) {
  const groups = new Map();
  for (const r of records) {
    const name = `${r.url} ${r.who}`;
    groups.set(name, [...(groups.get(name) || []), r]);
  }
  return groups;
}

// A batch that the server cannot take is halved until the record is found that is to blame.
async function bringSome(records, told) {
  const body = JSON.stringify({ who: records[0].who, clock: Date.now(), records });
  const answer = await post(records[0].url, { "Content-Type": "application/json" }, body);
  const why = reason(answer);
  if (["unread", "broken"].includes(why) && records.length > 1) {
    const half = records.length >> 1;
    const first = await bringSome(records.slice(0, half), told);
    return ["offline", "locked"].includes(first) ? first : (await bringSome(records.slice(half), told)) || first;
  }
  if (why === "unread") return setAside(records[0], NO_RECORD, [], told);
  if (why) return why;
  const { answers } = await answer.json();
  for (const a of answers) {
    const record = records.find((r) => r.key === a.key);
    if (!record) continue;
    if (a.state === "refused") await put("records", { ...record, refused: a.said });
    else await saved(record);
    await told(record, a);
  }
  return "";
}

async function setAside(record, said, asks, told) {
  await put("records", { ...record, refused: said, asks });
  await told(record, { key: record.key, state: "refused", said, asks });
  return "";
}

// A form of a line, sent as the browser would send it, under a key of its own: sent again it is kept once.
async function bringForm(r, told) {
  const form = new URLSearchParams([...r.fields, ["key", r.key]]);
  const answer = await post(r.url, { "X-Key": r.key, "X-Who": String(r.who) }, form);
  const why = reason(answer);
  if (why === "unread") return setAside(r, ...refusal(await answer.text()), told);
  if (why) return why;
  const html = await answer.text();
  const wrong = answer.redirected ? noticed(html) : "";
  if (wrong) return setAside(r, wrong, [], told);
  await saved(r);
  await told(r, { key: r.key, state: "kept", html });
  return "";
}

// What the page to which an act led says on top, where it was refused.
const noticed = (html) =>
  typeof DOMParser === "undefined"
    ? ""
    : [...new DOMParser().parseFromString(html, "text/html").querySelectorAll("#notices .error p")]
        .map((e) => e.textContent.trim())
        .join(" ");

// What a refused form says beside its fields, and what it asks: the fields that would answer it, each with its words.
function refusal(html) {
  if (typeof DOMParser === "undefined" || !html.includes("<")) return [html.slice(0, 300) || NO_RECORD, []];
  const page = new DOMParser().parseFromString(html, "text/html");
  const words = (e) => e.textContent.trim();
  const said = [...page.querySelectorAll(".error")].map(words).filter(Boolean);
  const asks = [...page.querySelectorAll("[data-asks]")].map((e) => ({
    name: e.name || e.dataset.name,
    value: e.value || e.dataset.value,
    words: words(e),
  }));
  return [said.join(" ") || NO_RECORD, asks];
}

// Pictures go in one by one.
async function bringPhoto(r) {
  const form = new FormData();
  for (const [name, value] of Object.entries({ key: r.key, who: r.who, taken: r.made, note: r.note, place: r.place ? "yes" : "" }))
    form.set(name, value);
  form.set("photo", r.photo, "photo");
  const answer = await post(r.url, {}, form);
  const why = reason(answer);
  if (why === "unread") return setAside(r, "The server cannot take this picture.", [], () => {});
  if (why) return why;
  const { state, said } = await answer.json();
  if (state === "kept") await saved(r);
  else await put("records", { ...r, refused: said });
  return "";
}
