import { expect, test } from "vitest";

import { bySource, type Heard, shared } from "./told";

const heard = (source: Heard["source"], key: string, what: string, only = ""): Heard => ({
  what,
  when: "at once",
  only,
  source,
  key,
  name: key,
  state: "running",
  day: 0,
  letter: null,
  step: null,
});

test("what is heard stands by its source, each once, in the order in which they begin to speak", () => {
  const found = bySource([
    heard("sequence", "a", "one"),
    heard("broadcast", "a", "two"),
    heard("sequence", "a", "three"),
    heard("site", "7", "four"),
  ]);
  expect(found.map((one) => [one.id, one.lines.map((line) => line.what)])).toEqual([
    ["sequence:a", ["one", "three"]],
    ["broadcast:a", ["two"]],
    ["site:7", ["four"]],
  ]);
  expect(found.map((one) => one.to)).toEqual(["/sequences/a", "/broadcasts/a", ""]);
});

test("whom it is for is said once where all lines say the same", () => {
  const [same] = bySource([heard("sequence", "a", "one", "First Hive"), heard("sequence", "a", "two", "First Hive")]);
  const [other] = bySource([heard("sequence", "a", "one", "First Hive"), heard("sequence", "a", "two", "the others")]);
  expect(same && shared(same)).toBe("First Hive");
  expect(other && shared(other)).toBe("");
});
