// This phone's own database: rounds that were taken along, records that the server does not have yet, and for some days those
// that it said it has.

import { openDB } from "../vendor/idb.js";

let opened = null;

const database = () =>
  (opened ??= openDB("evarlo", 2, {
    upgrade(db, before) {
      if (before < 1) {
        db.createObjectStore("rounds", { keyPath: "round" });
        db.createObjectStore("records", { keyPath: "key" });
      }
      db.createObjectStore("sent", { keyPath: "key" });
    },
    blocking: (_, __, event) => {
      event.target.close(); // another tab brings a newer form of it
      opened = null;
    },
  }));

// Written through to the disk before it counts as kept.
async function write(store, doing) {
  const transaction = (await database()).transaction(store, "readwrite", { durability: "strict" });
  await Promise.all([doing(transaction.store), transaction.done]);
}

export async function put(store, value) {
  await write(store, (s) => s.put(value));
  if (store === "records") askToStay();
}

// Asked once: a browser that runs out of room clears other pages' storage first.
let asked = false;
function askToStay() {
  if (asked) return;
  asked = true;
  globalThis.navigator?.storage?.persist?.().catch(() => {});
}
export const drop = (store, key) => write(store, (s) => s.delete(key));
export const get = async (store, key) => (await database()).get(store, key);
export const all = async (store) => (await database()).getAll(store);
export const recordsOf = async (round) => (await all("records")).filter((r) => r.round === round).sort((a, b) => a.made - b.made);
