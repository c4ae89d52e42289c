import { describe, expect, it } from "vitest";

import { addDays, dateWords, readDate } from "./dates";

describe("dates", () => {
  it.each([
    ["Thu 12 Mar 2026", "2026-03-12"],
    ["12 mar", "2026-03-12"],
    ["12 March", "2026-03-12"],
    ["12.3.", "2026-03-12"],
    ["12.3.2027", "2027-03-12"],
    ["12/3/2026", "2026-03-12"],
    ["2026-03-12", "2026-03-12"],
    ["31 Feb", null],
    ["3/13/2026", null],
    ["soon", null],
    ["", null],
  ])("are read day before month: %s", (typed, date) => {
    expect(readDate(typed, "2026-01-01")).toBe(date);
  });

  it("are written one way, and read back from it", () => {
    expect(dateWords("2026-03-12")).toBe("Thu 12 Mar 2026");
    for (let day = "2026-01-01"; day < "2027-01-01"; day = addDays(day, 1))
      expect(readDate(dateWords(day), "1999-01-01")).toBe(day);
  });
});
