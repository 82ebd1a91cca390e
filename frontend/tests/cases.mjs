// What the pure modules of the walk promise. Each case throws when it is broken; Node runs them, and the browser where Node is not.

const BASE = "../../evarlo/ui/static/ui/js/walk/";

function same(found, expected, about = "") {
  const [a, b] = [JSON.stringify(found), JSON.stringify(expected)];
  if (a !== b) throw new Error(`${about} found ${a}, expected ${b}`);
}

const plot = (id, more = {}) => ({ id, number: String(100 + id), block: "1", x: id, y: 0, length: 0.9, width: 1, bed: 1, ...more });
const ask = (more = {}) => ({
  round: 5,
  bring: "/in/",
  closed: false,
  trait: "Damage",
  kind: "percent",
  unit: "%",
  method: "",
  low: 0,
  high: 100,
  decimals: 1,
  samples: 1,
  choices: [],
  guide: null,
  plots: [1, 2, 3],
  stands: {},
  own: {},
  taken: [],
  again: [],
  earlier: {},
  ...more,
});
const taken = (more = {}) => ({
  round: "5",
  who: 7,
  code: "T1-",
  causes: [
    ["accident", "accident"],
    ["failed", "cultivar failed"],
  ],
  held: {},
  asked: [],
  draft: null,
  way: "laid",
  asks: [ask()],
  plots: [plot(1), plot(2), plot(3)],
  ...more,
});

export async function cases(base = BASE) {
  const { Walk } = await import(`${base}known.js`);
  const { Scanner, meaning } = await import(`${base}keys.js`);
  const { nextFrom, pathOf } = await import(`${base}path.js`);
  const { far, meanOf, read, shown } = await import(`${base}values.js`);
  const { viewOf, waitingLine } = await import(`${base}view.js`);

  const keep = (walk, number, key) => {
    const record = walk.record({ number }, "", key, 1);
    walk.kept(record);
    return record;
  };

  return {
    "a walk asks every plot once, in order, and says when all are in": () => {
      const walk = new Walk(taken());
      const seen = [1, 2, 3].map((n) => {
        const { id } = walk.plot;
        keep(walk, n, `k${n}`);
        return id;
      });
      same(seen, [1, 2, 3]);
      same([walk.done, viewOf(walk).done], [3, ""]);
    },
    "what lies on the phone is known again, and the first plot without a value is asked": () => {
      const before = new Walk(taken());
      const record = keep(before, 4, "k1");
      const walk = new Walk(taken(), [record]);
      same([walk.plot.id, walk.answerOf(walk.ask, walk.path[0]).number], [2, 4]);
      same(new Walk(taken(), [record, { ...record, undone: true }]).plot.id, 1);
    },
    "a record names the one that stood there": () => {
      const walk = new Walk(taken({ asks: [ask({ stands: { 1: "theirs" } })] }));
      same(walk.record({ number: 1 }, "", "k", 1).before, "theirs");
      const record = keep(walk, 1, "mine");
      walk.answered(record, { state: "kept", stands: "mine" }, shown);
      walk.go(0);
      same(walk.record({ number: 2 }, " a note ", "k2", 2).before, "mine");
    },
    "taking back asks the plot again": () => {
      const walk = new Walk(taken());
      keep(walk, 1, "k1");
      const back = walk.taking(9, "k2");
      same([back.before, back.undone], ["k1", true]);
      walk.tookBack(back);
      same([walk.plot.id, walk.done, walk.last], [1, 0, null]);
    },
    "the server's answer to what was taken back meanwhile does not bring it back": () => {
      const walk = new Walk(taken());
      const record = keep(walk, 1, "k1");
      const back = walk.taking(9, "k2");
      walk.tookBack(back);
      walk.answered(record, { state: "kept", stands: "k1" }, shown);
      same([walk.plot.id, walk.done, walk.ask.taken], [1, 0, []]);
      walk.answered(back, { state: "kept", stands: "" }, shown);
      same([walk.done, walk.ask.taken], [0, []]);
    },
    "what was done is taken back one by one, the newest first": () => {
      const walk = new Walk(taken());
      keep(walk, 4, "k1");
      keep(walk, 5, "k2");
      walk.tookBack(walk.taking(8, "k3"));
      same([walk.plot.id, walk.last.key], [2, "k1"]);
      walk.tookBack(walk.taking(9, "k4"));
      same([walk.plot.id, walk.last], [1, null]);
    },
    "several traits are asked of a plot before the next": () => {
      const walk = new Walk(taken({ asks: [ask(), ask({ round: 6, trait: "Vigour", kind: "score" })] }));
      keep(walk, 1, "a");
      same([walk.plot.id, walk.ask.trait], [1, "Vigour"]);
      keep(walk, 7, "b");
      same([walk.plot.id, walk.ask.trait], [2, "Damage"]);
    },
    "some plots are silently asked again when every one has a value": () => {
      const walk = new Walk(taken({ asks: [ask({ again: [2] })] }));
      [1, 2, 3].forEach((n) => keep(walk, n, `k${n}`));
      same([walk.plot.id, walk.repeats, viewOf(walk).standing], [2, true, ""]);
      same(walk.record({ number: 5 }, "", "k", 1).again, true);
      keep(walk, 5, "again");
      same(walk.toRepeat().length, 0);
    },
    "a plot is found by its number and by its stake, another trial's stake is not": () => {
      const walk = new Walk(taken());
      same([walk.jump("103"), walk.plot.id], ["", 3]);
      same([walk.jump("T1-102"), walk.plot.id], ["", 2]);
      same([walk.jump("T2-101"), walk.jump("999")], ["That stake is of another trial.", "There is no plot 999 in this round."]);
    },
    "single plants are typed one by one, and their mean is shown": () => {
      const walk = new Walk(
        taken({
          asks: [ask({ kind: "measure", unit: "cm", high: null, samples: 3 })],
          draft: { round: 5, plot: 1, parts: [8, 9] },
        }),
      );
      same(walk.sampled, true);
      same(viewOf(walk).sample, { title: "Plant 3 of 3", text: " 8, 9. Mean 8.5 ± 0.5 cm", save: "Save these 2" });
    },
    "a value far from the others is doubted once": () => {
      const walk = new Walk(
        taken({ plots: [1, 2, 3, 4, 5, 6, 7, 8].map((id) => plot(id)), asks: [ask({ plots: [1, 2, 3, 4, 5, 6, 7, 8] })] }),
      );
      [10, 11, 10, 12, 11, 10].forEach((n, i) => keep(walk, n, `k${i}`));
      same([walk.reading("95").doubt, walk.reading("13").doubt], ["far from the other plots", undefined]);
      walk.ask.most = 12;
      same(walk.reading("13").doubt, "more than the 12 set out in this plot");
      same(far(48, [4, 5, 4, 5, 4, 5]), true);
      same(far(48, [4, 5, 4]), false);
    },
    "what is typed is read with comma, unit and sign, and what cannot be is said": () => {
      same(read("7,5 %", ask()), { value: { number: 7.5 } });
      same(read("900", ask()).wrong, "Found 900. Expected damage from 0 to 100 %.");
      same(read("", ask()).wrong, "Type a value, or choose why there is none.");
      same(read("3/8", ask({ kind: "affected", samples: 10 })), { value: { number: 37.5, looked: 8 } });
      same(read("11", ask({ kind: "affected", samples: 10 })).wrong.startsWith("Found 11 of 10 plants"), true);
      same(read("2.5", ask({ kind: "count" })).wrong, "Found 2.5. Expected a whole number.");
    },
    "means have their standard error": () => {
      same(meanOf([4]), { mean: 4, se: null });
      const { mean, se } = meanOf([8.1, 7.9, 9]);
      same([mean.toFixed(4), se.toFixed(4)], ["8.3333", "0.3383"]);
    },
    "every way leads through every plot once, and the free one to the nearest": () => {
      const plots = [0, 1, 2, 3].flatMap((y) => [0, 1, 2].map((x) => plot(10 * y + x, { x, y })));
      for (const way of ["laid", "back", "tl", "tr", "bl", "br", "blocks", "free"]) {
        same(
          pathOf(plots, way)
            .map((p) => p.id)
            .sort((a, b) => a - b),
          plots.map((p) => p.id),
          way,
        );
      }
      same(
        pathOf(plots, "tl")
          .slice(0, 6)
          .map((p) => p.id),
        [0, 1, 2, 12, 11, 10],
      );
      same(
        nextFrom(plots, 0, "free", (p) => [0, 1].includes(p.id)),
        3,
      );
      same(
        nextFrom(plots, 0, "laid", () => true),
        -1,
      );
    },
    "keys mean one thing each, and a scanner's code is no score": () => {
      const at = { ask: ask({ kind: "score" }), open: "", sampled: false };
      same(meaning("7", at), { act: "value", value: "7" });
      same(meaning("7", { ...at, ask: ask() }), null);
      same(meaning("2", { ...at, open: "reasons" }), { act: "cause", which: 1 });
      same(meaning("y", { ...at, ask: ask({ kind: "yesno" }) }), { act: "value", value: 1 });
      const scanner = new Scanner();
      const codes = [];
      [..."T1-102"].forEach((key) =>
        same(
          scanner.take(key, "", (code) => codes.push(code)),
          true,
          key,
        ),
      );
      scanner.take("Enter", "", (code) => codes.push(code));
      same([codes, scanner.reading, scanner.take("7", "", () => {})], [["T1-102"], false, false]);
    },
    "the line below says what waits, and why": () => {
      same(waitingLine(0, [], "").text, "Everything is on the server.");
      same(waitingLine(2, [], "offline").text.startsWith("2 kept on this phone only. No signal"), true);
      same(waitingLine(1, [], "locked").logIn, true);
    },
    "two phones differ: the other value stays, mine is kept beside it": () => {
      const walk = new Walk(taken());
      const record = keep(walk, 3, "mine");
      walk.answered(record, { state: "rival", stands: "theirs" }, shown);
      same([walk.ask.stands[1], walk.ask.own[1], walk.ask.taken], [undefined, "", [1]]);
    },
  };
}
