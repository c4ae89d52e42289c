import { describe, expect, it } from "vitest";

import { lettersOf, type Posts, withoutVersion, withShare, withVersion } from "./posted";

const sum = (posts: Posts) => (posts.versions ?? []).reduce((all, one) => all + one.share, 0);

describe("what a step posts", () => {
  it("has shares that always add up to 100", () => {
    const two = withVersion({ letter: "a" }, "b");
    const three = withVersion(two, "c");
    expect(two.versions?.map((one) => one.share)).toEqual([50, 50]);
    expect(lettersOf(three)).toEqual(["a", "b", "c"]);
    expect([sum(two), sum(three), sum(withShare(two, 1, 20))]).toEqual([100, 100, 100]);
    expect(withShare(two, 1, 20).versions?.[0]?.share).toBe(80);
  });
  it("is one letter again when one is left", () => {
    const two = withVersion({ letter: "a", versions: null }, "b");
    expect(withoutVersion(two, 0)).toEqual({ letter: "b", versions: null });
    expect(lettersOf(withoutVersion(two, 0))).toEqual(["b"]);
    expect(lettersOf({ letter: "" })).toEqual([]);
  });
});
