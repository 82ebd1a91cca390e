import assert from "node:assert/strict";
import { test } from "node:test";
import { standing, turns, unpacked } from "../../evarlo/ui/static/ui/js/together.js";

const packed = (Kind, numbers) => Buffer.from(new Kind(numbers).buffer).toString("base64");

// Three entries, two criteria, four draws in hundredths; the first is the check.
const DRAWS = [
  [0, 100, 200, 0, 50, -300],
  [0, 150, 100, 0, 50, -100],
  [0, -50, 300, 0, 100, -100],
  [0, 100, -100, 0, 0, -200],
].flat();
const data = (fit = "") =>
  unpacked({
    keys: ["yield", "bolting"],
    names: ["Corvane", "Quillet", "Harl Quoin"],
    check: 0,
    apart: [
      [0, 0.75, 1.25],
      [0, 0.5, -1.75],
    ],
    count: 4,
    draws: packed(Int16Array, DRAWS),
    fit,
  });

test("chances are counted over the draws, by hand", () => {
  const found = standing(data(), [1, 1]);
  assert.deepEqual(found.index, [0, 1.25, -0.5]);
  assert.deepEqual(found.above, [0, 1, 0.25]); // Quillet: 1.5, 2, 0.5, 1; Harl Quoin: -1, 0, 2, -3
  assert.deepEqual(found.best, [0, 0.75, 0.25]);
  assert.deepEqual(found.three, [1, 1, 1]);
});

test("who fails what it must have is never the best", () => {
  const fit = [1, 0, 1, 1, 1, 1, 1, 1, 0, 1, 1, 1];
  const found = standing(data(packed(Uint8Array, fit)), [1, 1]);
  assert.deepEqual(found.best, [0.25, 0.75, 0]); // in the first draw the check, for Harl Quoin is below it
  assert.deepEqual(found.three, [1, 0.75, 0.75]);
});

test("another weight makes another winner, and which is said", () => {
  assert.deepEqual(
    turns(data(), [1, 1]).map((turn) => [turn.name, Math.round(100 * turn.at) / 100]),
    [
      ["Harl Quoin", 4.5], // 0.75 w + 0.5 = 1.25 w − 1.75
      ["Harl Quoin", 0.22], // 0.75 + 0.5 w = 1.25 − 1.75 w
    ],
  );
  const found = standing(data(), [5, 1]);
  assert.equal(found.index.indexOf(Math.max(...found.index)), 2);
});
