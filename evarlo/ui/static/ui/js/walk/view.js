// What the page of a walk shows, as plain values: the template prints them and reckons nothing.

import { WAYS } from "./path.js";
import { meanOf, plain, shown, today } from "./values.js";

const WHY = {
  offline: "No signal: they are safe on this phone and go in by themselves.",
  locked: "You are no longer logged in: log in again, and they go in.",
  another: "They are another person's: that person has to log in.",
  broken: "The server could not take them: they stay here and are sent again.",
};
const rounded = (n) => plain(Math.round(n * 100) / 100);
const DIGITS = "123456789".split("");

export const nothing = (title, text) => ({ ready: false, title, text, several: false });

export function waitingLine(count, refused, state) {
  return {
    text: count ? `${count} kept on this phone only. ${WHY[state] || ""}` : "Everything is on the server.",
    refused: refused.slice(0, 3).map((r) => ({ key: r.key, text: ` Plot ${r.plotNumber}: ${r.refused}` })),
    logIn: state === "locked" && count > 0,
  };
}

export function viewOf(walk) {
  const { ask, plot, path, at, data } = walk;
  const silent = walk.repeats;
  const left = walk.toRepeat().length;
  const date = ask.kind === "date";
  return {
    ready: true,
    several: walk.several,
    strip: stripOf(walk),
    column:
      walk.several && !silent
        ? walk.asksOf().map((a) => ({ round: a.round, trait: a.trait, text: inColumn(walk, a), here: a === ask }))
        : [],
    title: `${ask.trait}${ask.unit ? `, ${ask.unit}` : ""}`,
    label: `${ask.trait} of plot ${plot.number}`,
    method: ask.method,
    guide: ask.guide,
    earlier: ask.earlier[plot.id] ? `Earlier: ${ask.earlier[plot.id]}` : "",
    held: data.held?.[plot.id] || "",
    sample: walk.sampled ? sampleOf(walk) : null,
    date,
    latest: date ? today() : null,
    choice: ask.kind === "yesno" || ask.kind === "category",
    unit: ask.kind === "affected" ? `of ${ask.samples} plants` : ask.unit,
    standing: standingOf(walk, silent),
    pad: padOf(ask),
    causes: data.causes.map(([code, words], n) => ({ code, words, key: String(n + 1) })),
    done: walk.done === path.length && !left ? "" : `${walk.done} of ${path.length} plots`,
    number: walk.plot.number,
    undo: walk.parts.length ? "Undo the last plant" : walk.last ? `Undo plot ${walk.last.plotNumber}` : "",
    ways: WAYS.map(([key, words]) => ({ key, words, here: key === data.way })),
    at,
  };
}

function stripOf(walk) {
  const { path, at } = walk;
  const low = Math.max(0, Math.min(at - 2, path.length - 5));
  return path
    .slice(low, low + 5)
    .map((p, n) => ({ id: p.id, index: low + n, number: p.number, here: p === walk.plot, whole: walk.whole(p) }));
}

function inColumn(walk, ask) {
  const mine = walk.answerOf(ask);
  if (mine) return shown(mine, ask, walk.data.causes);
  return ask.own[walk.plot.id] || (ask.taken.includes(walk.plot.id) ? "has a value" : "–");
}

function standingOf(walk, silent) {
  if (silent) return "";
  const { ask, plot } = walk;
  const mine = walk.answerOf(ask);
  const own = mine ? shown(mine, ask, walk.data.causes) : ask.own[plot.id];
  if (own && ask.closed) return `On record: ${own}. A new value corrects it; this one stays in the diary.`;
  if (own) return `You have ${own} here. A new value corrects it.`;
  return ask.taken.includes(plot.id) ? "This plot has a value. Another one is kept beside it, to be settled." : "";
}

function sampleOf({ ask, parts }) {
  const { mean, se } = parts.length ? meanOf(parts) : {};
  const error = se == null ? "" : ` ± ${rounded(se)}`;
  return {
    title: `Plant ${parts.length + 1} of ${ask.samples}`,
    text: parts.length ? ` ${parts.map(plain).join(", ")}. Mean ${rounded(mean)}${error} ${ask.unit}` : "",
    save: parts.length ? `Save ${parts.length === 1 ? "this one" : `these ${parts.length}`}` : "",
  };
}

// The keys under the thumb. `value` keeps at once, `press` types a sign, `act` does what it says.
function padOf(ask) {
  const value = (words, of) => ({ words, value: of });
  if (ask.kind === "date") return { look: "days", keys: [value("Seen today", today()), { words: "Not yet", act: "not-yet" }] };
  if (ask.kind === "yesno") return { look: "days", keys: [value("Yes", 1), value("No", 0)] };
  if (ask.kind === "category") return { look: "days", keys: ask.choices.map((words, n) => value(words, n + 1)) };
  if (ask.kind === "score") return { look: "nine", keys: DIGITS.map((d) => value(d, d)) };
  const sign = ask.kind === "affected" ? "/" : ".";
  const end = [
    { words: "clear", act: "clear" },
    { words: "0", press: "0" },
    { words: sign, press: sign, off: sign === "." && !ask.decimals },
  ];
  return { look: "", keys: [...DIGITS.map((d) => ({ words: d, press: d })), ...end] };
}
