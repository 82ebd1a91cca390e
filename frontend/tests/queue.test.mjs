// The queue against a database in memory and a server that fails in every way.
import "fake-indexeddb/auto";
import assert from "node:assert/strict";
import test from "node:test";

globalThis.document = { cookie: "csrftoken=t" };
Object.defineProperty(globalThis, "navigator", { value: {}, configurable: true });
const { all, drop, put } = await import("../../evarlo/ui/static/ui/js/store.js");
const { bringIn, grouped, letGo, reason, takeBack } = await import("../../evarlo/ui/static/ui/js/queue.js");

const record = (key, more = {}) => ({ key, url: "/in/", who: 1, made: Number(key.slice(1)), ...more });
const keys = async () => (await all("records")).map((r) => r.key).sort();
const answering = (status, answers) => {
  globalThis.fetch = async () => ({ ok: status < 400, status, json: async () => ({ answers }) });
};

test("a record leaves this phone only when the server has answered for it", async () => {
  await put("records", record("r1"));
  await put("records", record("r2"));
  globalThis.fetch = async () => {
    throw new TypeError("no network");
  };
  assert.equal(await bringIn(), "offline");
  assert.deepEqual(await keys(), ["r1", "r2"]);
  for (const [status, why] of [
    [401, "locked"],
    [409, "another"],
    [500, "broken"],
  ]) {
    answering(status, []);
    assert.equal(await bringIn(), why);
    assert.deepEqual(await keys(), ["r1", "r2"]);
  }
  answering(200, [{ key: "r1", state: "kept" }]);
  assert.equal(await bringIn(), "");
  assert.deepEqual(await keys(), ["r2"]);
});

test("what the server refuses stays, with the reason, and is not sent again", async () => {
  answering(200, [{ key: "r2", state: "refused", said: "no such plot" }]);
  await bringIn();
  assert.equal((await all("records"))[0].refused, "no such plot");
  globalThis.fetch = async () => assert.fail("it was sent again");
  assert.equal(await bringIn(), "");
});

test("records go in the order in which they were made, a hundred at a time, by person and address", async () => {
  const sent = [];
  globalThis.fetch = async (_, { body }) => {
    const { records } = JSON.parse(body);
    sent.push(records.map((r) => r.made));
    return { ok: true, status: 200, json: async () => ({ answers: records.map((r) => ({ key: r.key, state: "kept" })) }) };
  };
  for (let i = 150; i > 0; i -= 1) await put("records", record(`n${i}`));
  await bringIn();
  assert.deepEqual(
    sent.map((some) => some.length),
    [100, 50],
  );
  assert.deepEqual(
    sent.flat(),
    [...sent.flat()].sort((a, b) => a - b),
  );
  assert.equal(grouped([record("a1"), record("a2", { who: 2 }), record("a3")]).size, 2);
  assert.equal(reason({ ok: true, status: 200 }), "");
});

test("another person's records wait for that person and hold nobody up", async () => {
  for (const r of await all("records")) await drop("records", r.key);
  await put("records", record("p1", { who: 2 }));
  await put("records", record("p2", { who: 1 }));
  globalThis.fetch = async (_, { body }) => {
    const { who, records } = JSON.parse(body);
    const ok = who === 1;
    return { ok, status: ok ? 200 : 409, json: async () => ({ answers: records.map((r) => ({ key: r.key, state: "kept" })) }) };
  };
  assert.equal(await bringIn(), "another");
  assert.deepEqual(await keys(), ["p1"]);
});

test("of a batch that cannot be read, only the record that is to blame is set aside", async () => {
  for (const r of await all("records")) await drop("records", r.key);
  for (let i = 1; i < 8; i += 1) await put("records", record(`b${i}`));
  globalThis.fetch = async (_, { body }) => {
    const { records } = JSON.parse(body);
    const ok = !records.some((r) => r.key === "b5");
    return { ok, status: ok ? 200 : 400, json: async () => ({ answers: records.map((r) => ({ key: r.key, state: "kept" })) }) };
  };
  assert.equal(await bringIn(), "");
  assert.deepEqual(
    (await all("records")).map((r) => [r.key, r.refused]),
    [["b5", "The server cannot read this record."]],
  );
});

test("a form of a line goes in under its key, and what it is refused for is kept with it", async () => {
  for (const r of await all("records")) await drop("records", r.key);
  await put("records", record("f1", { fields: [["plants", "5"]] }));
  await put("records", record("f2", { fields: [["plants", "99"]] }));
  const sent = [];
  globalThis.fetch = async (_, { body, headers }) => {
    sent.push([headers["X-Key"], headers["X-Who"], body.toString()]);
    const ok = body.get("plants") === "5";
    return { ok, status: ok ? 200 : 422, text: async () => (ok ? "<p>kept</p>" : "Expected at most 25.") };
  };
  const told = [];
  assert.equal(await bringIn((r, a) => told.push([r.key, a.state])), "");
  assert.deepEqual(sent, [
    ["f1", "1", "plants=5&key=f1"],
    ["f2", "1", "plants=99&key=f2"],
  ]);
  assert.deepEqual(told, [
    ["f1", "kept"],
    ["f2", "refused"],
  ]);
  assert.equal((await all("records"))[0].refused, "Expected at most 25.");
});

test("what the server has lost is sent again, for as long as this phone holds it", async () => {
  for (const r of await all("records")) await drop("records", r.key);
  await put("records", record("l1"));
  await put("records", record("l2"));
  answering(200, [
    { key: "l1", state: "kept" },
    { key: "l2", state: "kept" },
  ]);
  await bringIn();
  assert.deepEqual(await keys(), []);
  globalThis.fetch = async () => ({ ok: true, json: async () => ({ keys: ["l2", "unknown"] }) });
  assert.equal(await takeBack("/lost/"), 1);
  assert.deepEqual(await keys(), ["l2"]);
  assert.equal((await all("records"))[0].sent, undefined);
  assert.equal(await takeBack("/lost/"), 0); // it waits already
  answering(200, [{ key: "l2", state: "kept" }]);
  assert.equal(await bringIn(), "");
  const usual = IDBObjectStore.prototype.put;
  await put("records", record("l4"));
  IDBObjectStore.prototype.put = () => {
    throw new DOMException("full", "QuotaExceededError");
  };
  answering(200, [{ key: "l4", state: "kept" }]);
  assert.equal(await bringIn(), ""); // a phone that is full lets go all the same of what the server has
  IDBObjectStore.prototype.put = usual;
  assert.deepEqual(await keys(), []);
  const old = { ...record("l3"), sent: Date.now() - 4 * 86_400_000 };
  await put("sent", old);
  for (let i = 0; i < 405; i += 1) await put("sent", { ...record(`s${i}`), sent: Date.now() - 1000 });
  await letGo();
  const held = (await all("sent")).map((r) => r.key);
  assert.equal(held.includes("l3"), false);
  assert.equal(held.length, 400);
});
