import { describe, expect, it } from "vitest";

import { axis, place, reach } from "./scale";

describe("places along a line", () => {
  it("keeps what lies outside at the ends, and nought in the middle", () => {
    expect([place(-0.3, -0.2, 0.2), place(0, -0.2, 0.2), place(0.9, -0.2, 0.2)]).toEqual([0, 50, 100]);
    expect([reach([0.04]), reach([-0.31, 0.2]), reach([])]).toEqual([0.1, 0.4, 0.1]);
    expect(place(1, 0, 0)).toBe(0);
  });
  it("marks round days", () => {
    expect(axis(120)).toEqual([0, 30, 60, 90, 120]);
    expect(axis(3)).toEqual([0, 1, 2, 3]);
    expect(axis(366).at(-1)).toBe(360);
  });
});
