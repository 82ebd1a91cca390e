// What a key means on the page of a walk. Pure: a key and what is open come in, the name of an act comes out.

const CHOSEN = ["score", "category", "yesno"];

export function meaning(key, { ask, open, sampled }) {
  if (open === "reasons" && "1234".includes(key)) return { act: "cause", which: Number(key) - 1 };
  if (key === "x") return { act: "toggle", what: "reasons" };
  if (key === "n") return { act: "open", what: "note" };
  if (key === "g" && ask.guide) return { act: "toggle", what: "guide" };
  if (key === "b") return { act: "back" };
  if (key === "u") return { act: "undo" };
  if (ask.kind === "yesno" && "yn".includes(key)) return { act: "value", value: key === "y" ? 1 : 0 };
  if (CHOSEN.includes(ask.kind) && !sampled && /^[0-9]$/.test(key)) return { act: "value", value: key };
  return null;
}

// A scanner types the stake's code and Enter, faster than a hand; the code begins with a capital T.
export class Scanner {
  constructor() {
    this.code = null;
  }

  get reading() {
    return this.code != null;
  }

  // True for a key that belongs to a code; `done` gets the whole code.
  take(key, typed, done) {
    if (!this.reading && (key !== "T" || typed)) return false;
    if (key === "Enter") {
      const code = this.code;
      this.code = null;
      done(code);
    } else if (key === "Escape") this.code = null;
    else if (key.length === 1) this.code = (this.code ?? "") + key;
    return true;
  }
}
