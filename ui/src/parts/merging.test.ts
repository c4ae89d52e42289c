import { describe, expect, it } from "vitest";

import { differences, placeWords, valueWords, withTheirs } from "./merging";

const base = {
  subject: "Hello",
  purpose: "news",
  blocks: [
    { kind: "text", html: "<p>One</p>" },
    { kind: "text", html: "<p>Two</p>" },
  ],
};
const mine = {
  ...base,
  subject: "Hello from me",
  blocks: [{ kind: "text", html: "<p>One, mine</p>" }, base.blocks[1]],
};
const theirs = {
  ...base,
  subject: "Hello from them",
  blocks: [base.blocks[0], { kind: "text", html: "<p>Two, theirs</p>" }],
};

describe("two states of one thing", () => {
  it("differ place by place, and it is known which both have changed", () => {
    const found = differences(base, mine, theirs);
    expect(found.map((one) => [placeWords(one.path), one.both])).toEqual([
      ["Subject", true],
      ["Block 1", false],
      ["Block 2", false],
    ]);
  });

  it("come together as chosen, and neither is changed on the way", () => {
    const found = differences(base, mine, theirs);
    const now = withTheirs(mine, [found[2] as (typeof found)[0]]);
    expect(now).toEqual({ ...mine, blocks: [mine.blocks[0], theirs.blocks[1]] });
    expect(withTheirs(mine, found)).toEqual(theirs);
    expect(mine.blocks[1]).toBe(base.blocks[1]);
  });

  it("of which one has more blocks are chosen as a whole there", () => {
    const longer = { ...base, blocks: [...base.blocks, { kind: "signature" }] };
    const found = differences(base, mine, longer);
    expect(found.map((one) => one.path)).toEqual([["subject"], ["blocks"]]);
    expect(withTheirs(mine, found)).toEqual(longer);
  });

  it("are said in words one can read", () => {
    expect(
      valueWords([
        { kind: "text", html: "<p>One &amp; two</p>" },
        { kind: "button", label: "Go", url: "https://learn.example" },
      ]),
    ).toBe("One & two · Go · https://learn.example");
    expect([valueWords(null), valueWords(true), placeWords(["body", "at"]), placeWords(["steps", 2])]).toEqual([
      "nothing",
      "yes",
      "When",
      "Step 3",
    ]);
  });
});
