import { describe, expect, it } from "vitest";

import { percent, range } from "./words";

const figure = (share: number | null, low: number | null = null, high: number | null = null) =>
  ({ share, low, high }) as never;

describe("shares in words", () => {
  it("are whole percents, and never nought for something", () => {
    expect([0, 0.004, 0.0149, 0.405, 1].map((share) => percent(figure(share)))).toEqual([
      "0%",
      "under 1%",
      "1%",
      "41%",
      "100%",
    ]);
    expect([percent(figure(null)), percent(undefined)]).toEqual(["", ""]);
  });

  it("say the range they lie in, if there is one", () => {
    expect(range(figure(0.4, 0.357, 0.466))).toBe("36 to 47%");
    expect(range(figure(0.4))).toBe("");
  });
});
