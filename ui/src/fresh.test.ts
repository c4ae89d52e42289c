/** Everything that a click makes anew; said aloud when asked for, so that the core's own models can read it. */
import { describe, expect, it } from "vitest";

import type { Sequence } from "./api/school-file";
import { KINDS as CONDITIONS } from "./conditions/conditions";
import { freshBlock, KINDS as BLOCKS } from "./letters/blocks";
import { fieldLabel } from "./letters/field-words";
import { MATCHERS, turned } from "./sequences/matchers";
import { fresh, KINDS as STEPS } from "./sequences/tree";

const empty = (): Sequence => ({
  key: "s",
  name: "s",
  status: "draft",
  starts: [],
  again: "once",
  leaves: [],
  posting_hours: "school",
  holds_broadcasts: false,
  reply_to: null,
  steps: [],
});

describe("what a click makes anew", () => {
  const made = {
    steps: STEPS.flatMap((kind) => [fresh(empty(), kind.do, "bees"), fresh(empty(), kind.do, undefined)]),
    blocks: BLOCKS.map((kind) => freshBlock(kind.kind)),
    conditions: CONDITIONS.flatMap((kind) => [kind.fresh("bees"), kind.fresh("any")]),
    matchers: MATCHERS.map((kind) => turned({ on: "enrolled" }, kind.value)),
  };

  it("is one of every kind, each under its own name", () => {
    expect(made.blocks.map((block) => block.kind)).toEqual(BLOCKS.map((kind) => kind.kind));
    expect(new Set(made.steps.map((step) => step.do)).size).toBe(STEPS.length);
    expect(made.conditions.map((condition) => condition.is)).toEqual(
      CONDITIONS.flatMap((kind) => [kind.value, kind.value]),
    );
    expect(made.matchers.map((matcher) => matcher.on)).toEqual(MATCHERS.map((kind) => kind.value));
  });

  it("is made anew each time", () => {
    const [one, other] = [freshBlock("columns"), freshBlock("columns")];
    expect(one).toEqual(other);
    expect(one).not.toBe(other);
  });

  it("is plain data", () => {
    // Beside it, the merge fields that are given, as a chip names them.
    const fields = JSON.parse(String(import.meta.env.VITE_FRESH ?? "[]")) as string[];
    const said = { ...made, fields: fields.map(fieldLabel) };
    if (import.meta.env.VITE_FRESH) console.log(`FRESH ${JSON.stringify(said)}`);
    expect(JSON.parse(JSON.stringify(made))).toEqual(made);
  });
});
