// A walk in the hand, from this phone alone: it was taken along once with a signal, and what is typed lies in the phone's own
// database before the next plot is asked. What is known is in `known`, what is shown in `view`; here they meet the page.

import { showKept } from "../light.js";
import { FULL, bringIn, newKey } from "../queue.js";
import { all, get, put, recordsOf } from "../store.js";
import { canScan, scan } from "./camera.js";
import { MiniPlan } from "./ground.js";
import { Scanner, meaning } from "./keys.js";
import { Walk } from "./known.js";
import { shrunk } from "./pictures.js";
import { meanOf, plain, shown } from "./values.js";
import { nothing, viewOf, waitingLine } from "./view.js";

const OWN_KEYS = "#note, #to, #jump, select, [type=date], [type=file], [type=checkbox]";
const [TWICE, FINGER] = [350, 24]; // milliseconds, and pixels, within which two taps are one
const NO_PICTURE = "That picture could not be kept. Expected JPEG, PNG or WebP, and room on this phone.";

// The round as the server has it, with what this phone added; else as it was taken along. `state` says why it is not.
async function takeAlong(url, name) {
  const before = await get("rounds", name);
  try {
    const answer = await fetch(url, { headers: { "HX-Request": "true" }, cache: "no-store" });
    if (!answer.ok) return { data: before, state: "locked" };
    const data = { ...(await answer.json()), asked: before?.asked || [], draft: before?.draft || null, way: before?.way || "laid" };
    await put("rounds", data);
    return { data, state: "" };
  } catch {
    return { data: before, state: "" }; // no signal: what was taken along serves
  }
}

function walkComponent() {
  let walk = null;
  let mini = null;
  let camera = null;
  let doubted = ""; // a value far from the others, asked about once
  let state = "";
  let tap = null; // where the page was last touched
  let keptBy = null; // the touch that kept a value
  let ignored = ""; // what is said of a second touch that came while the first was being kept
  let busy = false; // a record is on its way into the database: keys wait for the next plot
  let wentTo = null; // a field that was gone to meanwhile keeps the focus
  let turn = 0; // what was counted before the newest record is no longer said
  let timer = 0;
  const ahead = [];
  const scanner = new Scanner();

  return {
    view: nothing("", "Looking for the round on this phone…"),
    typed: "",
    note: "",
    open: "", // reasons, note, guide, photo or scan
    said: "",
    wrong: false,
    keepPlace: false,
    waiting: { text: "", refused: [], logIn: false },
    canScan: canScan(),

    async init() {
      const { data, round } = this.$root.dataset;
      const taken = await takeAlong(data, round);
      state = taken.state;
      if (!taken.data)
        this.view = nothing("This round is not on this phone", "Open it once with a signal; from then on it works without one.");
      else if (!taken.data.plots.length) this.view = nothing("Nothing to walk", "Every plot of this round is left out.");
      else await this.begin(taken.data);
    },
    async begin(data) {
      const records = await Promise.all(data.asks.map((a) => recordsOf(a.round)));
      walk = new Walk(data, records.flat());
      this.show();
      this.$nextTick(() => {
        mini = new MiniPlan(this.$refs.mini, walk, (index) => this.go(index));
        mini.mark();
      });
      document.addEventListener("plot-chosen", (event) => this.jump(event.detail));
      document.addEventListener("keydown", (event) => this.pressed(event));
      document.addEventListener("focusin", (event) => (wentTo = busy ? event.target : null));
      document.addEventListener("click", (event) => this.tapped(event), true);
      window.addEventListener("online", () => this.sync());
      this.sync();
    },

    show() {
      this.redraw();
      if (mini) this.focus();
      else this.$nextTick(() => this.focus());
    },
    // What the server answered is shown without taking the field out of anyone's hand.
    redraw() {
      this.view = viewOf(walk);
      this.waiting = { text: "", refused: [], logIn: false }; // until it is counted anew
      mini?.mark();
      this.count();
    },
    // At once, and not when the page is next drawn: the key that follows may be there before.
    focus() {
      const { noteBox, note, value } = this.$refs;
      if (!value) return;
      noteBox.hidden = this.open !== "note";
      const field = this.open === "note" ? note : value;
      if (document.activeElement === field || (wentTo && document.activeElement === wentTo)) return;
      field.focus({ preventScroll: true });
      if (field.type === "text") field.setSelectionRange(field.value.length, field.value.length); // what follows is typed behind it
    },
    tell(text, isWrong) {
      this.said = text;
      this.wrong = isWrong;
    },
    refuse(text) {
      this.tell(text, true);
      this.show();
    },

    // One thing after the other: what is typed meanwhile is played when it is done.
    async alone(doing) {
      busy = true;
      try {
        await doing();
      } finally {
        busy = false;
      }
      while (ahead.length && !busy) await this.play(ahead.shift());
    },

    send() {
      const typed = this.typed;
      const found = walk.reading(typed);
      if (found.wrong) return this.refuse(found.wrong);
      if (found.doubt && doubted !== typed) {
        doubted = typed;
        const what = `${plain(found.value.number)} ${walk.ask.unit}`;
        return this.refuse(`${what} is ${found.doubt}. Save it again if it is right.`);
      }
      this.cleared(); // before it is kept: what is typed meanwhile is the next value
      return walk.sampled ? this.addPart(found.value.number) : this.keep(found.value, typed);
    },
    // A second tap on the spot that just kept a value would score the next plot too.
    tapped(event) {
      const spot = event.detail ? { x: event.clientX, y: event.clientY, at: event.timeStamp } : null;
      if (spot && keptBy && spot.at - keptBy.at < TWICE && Math.hypot(spot.x - keptBy.x, spot.y - keptBy.y) < FINGER) {
        event.stopImmediatePropagation();
        event.preventDefault();
        ignored = `Plot ${keptBy.plot} is saved; the second tap was not counted.`;
        if (!busy) this.tell(ignored, false);
        return;
      }
      tap = spot;
    },
    // Into the database first, and only then the next plot.
    keep(seen, typed = "") {
      keptBy = tap && { ...tap, plot: walk.plot.number };
      ignored = "";
      return this.alone(async () => {
        const { note } = this;
        const record = walk.record(seen, note, newKey(), Date.now());
        this.note = "";
        try {
          await put("records", record);
        } catch {
          Object.assign(this, { typed, note });
          return this.refuse(FULL);
        }
        const drafted = record.again || walk.data.draft;
        walk.kept(record);
        if (drafted) await put("rounds", walk.data).catch(() => {}); // the record itself lies in the database
        this.tell(ignored, false);
        if (this.open !== "guide") this.open = "";
        this.show();
        this.sync();
      });
    },
    // Single plants: each lies in the database at once, and their mean becomes the plot's value.
    addPart(number) {
      const parts = [...walk.parts, number];
      if (parts.length >= walk.ask.samples) return this.keep({ number: meanOf(parts).mean, parts }, String(number));
      return this.alone(async () => {
        const before = walk.data.draft;
        walk.data.draft = { round: walk.ask.round, plot: walk.plot.id, parts };
        try {
          await put("rounds", walk.data);
        } catch {
          walk.data.draft = before;
          this.typed = String(number);
          return this.refuse(FULL);
        }
        this.tell("", false);
        this.show();
      });
    },
    keepParts() {
      return this.keep({ number: meanOf(walk.parts).mean, parts: walk.parts });
    },
    cleared() {
      this.typed = "";
      doubted = "";
    },
    undo() {
      if (busy || (!walk.parts.length && !walk.last)) return null;
      return this.alone(async () => {
        try {
          await this.takeBack();
        } catch {
          return this.refuse(FULL);
        }
        this.show();
      });
    },
    async takeBack() {
      if (walk.parts.length) {
        const draft = { ...walk.data.draft, parts: walk.parts.slice(0, -1) };
        await put("rounds", { ...walk.data, draft });
        walk.data.draft = draft;
        return;
      }
      const back = walk.taking(Date.now(), newKey());
      await put("records", back);
      walk.tookBack(back);
      this.cleared();
      this.tell(`Plot ${back.plotNumber} is asked again.`, false);
      this.sync();
    },

    tap(key) {
      if (key.act === "not-yet") this.keep({ cause: "not_reached" });
      else if (key.act === "clear") this.typed = "";
      else if (key.press) this.typed += key.press;
      else this.take(key.value);
    },
    take(value) {
      this.typed = String(value);
      return this.send();
    },
    because(code) {
      return this.keep({ cause: code });
    },
    toggle(what) {
      this.open = this.open === what ? "" : what;
      this.show();
    },
    // Another plot or trait is asked: what was typed or said was of the one before.
    afresh() {
      this.typed = "";
      this.tell("", false);
      this.show();
    },
    go(index) {
      if (walk.go(index)) this.afresh();
    },
    askFor(round) {
      walk.ask = walk.data.asks.find((a) => a.round === round);
      this.afresh();
    },
    jump(text) {
      const refused = walk.jump(text);
      if (refused) this.refuse(refused);
      else this.afresh();
    },
    jumpTyped(event) {
      this.jump(event.target.elements.to.value);
    },
    async changeWay(event) {
      walk.setWay(event.target.value);
      this.show();
      await put("rounds", walk.data).catch(() => {}); // the way is the phone's own, and chosen again in a tap
    },

    async readCode() {
      if (this.open === "scan") {
        camera?.stop();
        this.open = "";
        return this.show();
      }
      this.open = "scan";
      try {
        camera = scan(this.$refs.camera);
        const code = await camera.code;
        this.open = "";
        return code ? this.jump(code) : this.show();
      } catch {
        this.open = "";
        return this.refuse("The camera could not be used. Type the plot's number.");
      }
    },
    // A picture is kept as it is where its place is wished, else shrunk.
    async picture(event) {
      const [file] = event.target.files;
      if (!file) return;
      const { plot, data } = walk;
      try {
        const photo = this.keepPlace ? file : await shrunk(file);
        const about = {
          url: plot.pictures,
          who: data.who,
          plot: plot.id,
          plotNumber: plot.number,
          note: this.note.trim().slice(0, 200),
        };
        await put("records", { key: newKey(), photo, made: Date.now(), place: this.keepPlace, ...about });
        this.tell(`The picture of plot ${plot.number} is kept.`, false);
      } catch {
        this.tell(NO_PICTURE, true);
      }
      this.open = "";
      this.show();
      this.sync();
    },

    async count() {
      turn += 1;
      const mine = turn;
      const kept = await showKept();
      const refused = (await all("records")).filter((r) => r.refused);
      if (mine === turn) this.waiting = waitingLine(kept, refused, state);
    },
    async sync() {
      clearTimeout(timer);
      state = await bringIn(async (record, answer) => {
        walk.answered(record, answer, shown);
        if (answer.state === "rival") this.tell(`Plot ${record.plotNumber}: ${answer.said}`, false);
        await put("rounds", walk.data).catch(() => {}); // the server has it
      });
      if (this.said && !this.wrong) this.redraw();
      await this.count();
      if (state) timer = setTimeout(() => this.sync(), state === "offline" ? 4000 : 15000);
    },

    // A key, or a whole value, as if it came now, on the page that has just been shown.
    async play(came) {
      if (came.value != null) this.typed = came.value;
      if (came.key === "Enter") await this.send();
      else if (!this.did(came.key)) this.typeIn(came.key);
    },
    typeIn(key) {
      if (walk.ask.kind !== "date" && key.length === 1) this.typed += key;
    },
    did(key) {
      if (scanner.take(key, this.typed, (code) => this.jump(code))) return true;
      const meant = meaning(key, { ask: walk.ask, open: this.open, sampled: walk.sampled });
      if (!meant) return false;
      if (meant.act === "cause") this.because(walk.data.causes[meant.which][0]);
      else if (meant.act === "toggle") this.toggle(meant.what);
      else if (meant.act === "open") {
        this.open = meant.what;
        this.show();
      } else if (meant.act === "back") this.go(Math.max(0, walk.at - 1));
      else if (meant.act === "undo") this.undo();
      else this.take(meant.value);
      return true;
    },
    pressed(event) {
      const other = event.ctrlKey || event.metaKey || event.altKey || document.getElementById("keys")?.open;
      if (other || event.target.matches(OWN_KEYS)) return;
      if (event.target.matches("button, a, summary") && event.key === "Enter" && !scanner.reading) return;
      if (busy) {
        if (event.key.length !== 1 && event.key !== "Enter") return;
        const value = event.key === "Enter" && this.typed ? this.typed : null; // pasted, or typed by an on-screen keyboard
        if (value) this.cleared();
        ahead.push({ key: event.key, value });
        event.preventDefault();
      } else if (this.did(event.key)) event.preventDefault();
      else if (event.target === document.body) this.stray(event);
    },
    // A key that came before the field had the focus is the field's all the same.
    stray(event) {
      if (event.key === "Enter") this.send();
      else if (event.key.trim().length !== 1) return;
      else this.typeIn(event.key);
      event.preventDefault();
      this.focus();
    },
  };
}

document.addEventListener("alpine:init", () => {
  Alpine.data("walk", walkComponent);
  // A drawing that ships with a guide, made by the server from its name.
  Alpine.directive("drawn", (element, { expression }, { evaluate }) => {
    element.innerHTML = evaluate(expression);
  });
});
