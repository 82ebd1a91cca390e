import test from "node:test";
import { cases } from "./cases.mjs";

for (const [name, run] of Object.entries(await cases())) test(name, run);
