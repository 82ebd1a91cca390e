// What a walk knows: the plots and traits that were taken along, what this phone has kept for them, and where it stands. No page,
// no database, no clock in here: acts come in, and records to keep come out.

import { nextFrom, pathOf } from "./path.js";
import { far, read } from "./values.js";

const MEASURED = ["measure", "count", "percent", "score"];
const BY_EYE = ["category", "yesno"];

export class Walk {
  // `data` as the server gave it (with `asked`, `draft` and `way` of this phone), `records` those of this phone, oldest first.
  constructor(data, records = []) {
    this.data = data;
    this.answers = new Map(); // by round and plot: the newest record of this phone
    this.keptHere = []; // the records of this sitting, which Undo takes back one by one
    this.gone = new Set(); // keys of what was taken back: a late answer to one says nothing of what stands
    this.at = 0;
    this.ask = null; // the trait being asked
    this.setWay(data.way);
    records.forEach((r) => this.remember(r));
    const draft = data.draft ? this.path.findIndex((p) => p.id === data.draft.plot) : -1;
    this.at =
      draft >= 0
        ? draft
        : Math.max(
            0,
            this.path.findIndex((p) => !this.whole(p)),
          );
    if (draft >= 0) this.ask = data.asks.find((a) => a.round === data.draft.round) ?? null;
    this.chooseAsk();
  }

  get plot() {
    return this.path[this.at];
  }
  get several() {
    return this.data.asks.length > 1;
  }
  get done() {
    return this.path.filter((p) => this.whole(p)).length;
  }

  // The record that Undo takes back next.
  get last() {
    return this.keptHere.at(-1) ?? null;
  }

  setWay(key) {
    const plot = this.path?.[this.at];
    this.data.way = key;
    this.path = pathOf(this.data.plots, key);
    if (plot) this.at = this.path.indexOf(plot);
  }

  keyOf(ask, plot) {
    return `${ask.round} ${plot.id}`;
  }
  answerOf(ask, plot = this.plot) {
    return this.answers.get(this.keyOf(ask, plot));
  }
  asksOf(plot = this.plot) {
    return this.data.asks.filter((a) => a.plots.includes(plot.id));
  }
  has(ask, plot) {
    return this.answers.has(this.keyOf(ask, plot)) || ask.taken.includes(plot.id);
  }
  whole(plot) {
    return this.asksOf(plot).every((a) => this.has(a, plot));
  }

  remember(record) {
    const key = `${record.round} ${record.plot}`;
    if (record.again) {
      if (!this.data.asked.includes(key)) this.data.asked.push(key);
    } else if (record.undone) this.answers.delete(key);
    else this.answers.set(key, record);
  }

  // When every plot has its values, some are asked again without a word: how the eye agrees with itself.
  toRepeat() {
    if (!this.path.every((p) => this.whole(p))) return [];
    return this.data.asks.flatMap((a) =>
      this.path.filter((p) => a.again.includes(p.id) && !this.data.asked.includes(this.keyOf(a, p))).map((p) => [a, p]),
    );
  }
  get repeats() {
    return this.toRepeat().some(([a, p]) => a === this.ask && p === this.plot);
  }

  // The first trait of this plot without a value; the first of all when it has every one.
  chooseAsk() {
    const mine = this.asksOf();
    const again = this.toRepeat().find(([, p]) => p === this.plot);
    if (again) [this.ask] = again;
    else if (!this.ask || !mine.includes(this.ask) || this.has(this.ask, this.plot)) {
      this.ask = mine.find((a) => !this.has(a, this.plot)) || mine[0];
    }
  }

  go(index) {
    if (index < 0 || index >= this.path.length) return false;
    this.at = index;
    this.ask = null; // a plot begins with its first trait
    this.chooseAsk();
    return true;
  }

  // To a plot by its number, or by the code of its stake. Says what is wrong, or nothing.
  jump(text) {
    const number = text
      .trim()
      .replace(new RegExp(`^${this.data.code}`, "i"), "")
      .toLowerCase();
    if (/^T\d+-/i.test(number)) return "That stake is of another trial.";
    const found = this.path.findIndex((p) => p.number.toLowerCase() === number);
    return this.go(found) ? "" : `There is no plot ${text.trim()} in this round.`;
  }

  next() {
    const more = this.asksOf().find((a) => !this.has(a, this.plot));
    if (more) {
      this.ask = more;
      return;
    }
    const [again] = this.toRepeat();
    if (again) {
      this.ask = again[0];
      this.at = this.path.indexOf(again[1]);
      return;
    }
    const found = nextFrom(this.path, this.at, this.data.way, (p) => this.whole(p));
    this.go(found >= 0 ? found : Math.min(this.at + 1, this.path.length - 1));
  }

  // Whether single plants are typed one by one, and those that were.
  get sampled() {
    return this.ask.samples > 1 && MEASURED.includes(this.ask.kind) && !this.repeats;
  }
  get parts() {
    const { draft } = this.data;
    return draft?.plot === this.plot.id && draft.round === this.ask.round ? draft.parts : [];
  }

  // What is typed, as { value }, { wrong }, or { doubt } where it lies far from the others.
  reading(typed) {
    const found = read(typed, this.ask);
    if (found.wrong || found.value.number == null || BY_EYE.includes(this.ask.kind)) return found;
    const plots = this.path.filter((p) => p !== this.plot).map((p) => this.answerOf(this.ask, p)?.number);
    const { most } = this.ask;
    if (most && found.value.number > most) return { ...found, doubt: `more than the ${most} set out in this plot` };
    const others = this.sampled ? this.parts : plots.filter((n) => n != null);
    return far(found.value.number, others) ? { ...found, doubt: `far from the other ${this.sampled ? "plants" : "plots"}` } : found;
  }

  // A record of what was seen in this plot.
  record(seen, note, key, now) {
    const { ask, plot, data } = this;
    return {
      key,
      round: ask.round,
      url: ask.bring,
      who: data.who,
      plot: plot.id,
      plotNumber: plot.number,
      note: note.trim().slice(0, 300),
      made: now,
      on: data.on || "",
      before: this.answerOf(ask)?.key || ask.stands[plot.id] || "",
      number: null,
      day: null,
      cause: "",
      looked: null,
      parts: null,
      guide: ask.guide?.version ?? null,
      undone: false,
      again: this.repeats,
      ...seen,
    };
  }

  // It lies in the database: on to what is asked next.
  kept(record) {
    this.remember(record);
    if (record.again)
      this.keptHere = []; // what was asked again is not taken back over it
    else this.keptHere.push(record);
    this.data.draft = null;
    this.next();
  }

  taking(now, key) {
    return { ...this.last, key, before: this.last.key, undone: true, made: now, note: "" };
  }

  tookBack(record) {
    const ask = this.data.asks.find((a) => a.round === record.round);
    this.answers.delete(`${record.round} ${record.plot}`);
    ask.taken = ask.taken.filter((id) => id !== record.plot);
    this.at = this.path.findIndex((p) => p.id === record.plot);
    this.ask = ask;
    this.keptHere.pop();
    this.gone.add(record.before);
  }

  // The server has answered for a record.
  answered(record, answer, shown) {
    const ask = this.data.asks.find((a) => a.round === record.round);
    if (!ask || answer.state === "refused" || record.again || this.gone.has(record.key)) return;
    const mine = this.answers.get(`${record.round} ${record.plot}`);
    const stays = answer.stands && answer.state !== "rival";
    ask.taken = ask.taken.filter((id) => id !== record.plot).concat(answer.stands ? [record.plot] : []);
    if (stays) ask.stands[record.plot] = answer.stands;
    else delete ask.stands[record.plot];
    if (mine && mine.key === record.key) {
      ask.own[record.plot] = stays ? shown(mine, ask, this.data.causes) : "";
      mine.key = answer.stands || mine.key;
    }
    if (record.undone && stays) ask.own[record.plot] = "the value before it";
    else if (record.undone) delete ask.own[record.plot];
  }
}
