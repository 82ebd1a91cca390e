import assert from "node:assert/strict";
import { test } from "node:test";

globalThis.document = { getElementById: () => null, addEventListener: () => {} };
const { nameIn } = await import("../../evarlo/ui/static/ui/js/names.js");

test("a name is found as a whole word, whatever its capitals", () => {
  assert.equal(nameIn("mixed with salt wren?", ["Salt Wren"]), "Salt Wren");
  assert.equal(nameIn("Salt Wrens", ["Salt Wren"]), "");
  assert.equal(nameIn("nothing", ["Salt Wren"]), "");
});
