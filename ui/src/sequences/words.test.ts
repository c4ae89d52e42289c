import { describe, expect, it } from "vitest";

import { freeKey } from "../parts/keys";
import { daysWords, duration, simple, waitWords } from "./words";

describe("waits in words", () => {
  const say = (step: object) =>
    waitWords({ id: "w", do: "wait", ...step })
      .map((part) => part.text)
      .join(" ");

  it("says what a person would say", () => {
    expect(say({ for: "P1D", at: "10:00" })).toBe("next day at 10:00");
    expect(say({ for: "P2D", at: "17:30", days: ["thu", "fri"] })).toBe("2 days later at 17:30 on Thu or Fri");
    expect(say({ for: "PT30M" })).toBe("30 minutes later");
    expect(say({ for: "P1W", since: "start" })).toBe("1 week after the start");
  });

  it("shows a duration it can't split as it is", () => {
    expect(simple("P1DT2H")).toBeNull();
    expect(say({ for: "P1DT2H" })).toBe("P1DT2H later");
  });

  it("writes what it reads", () => {
    for (const text of ["P3D", "P2W", "PT5H", "PT45M"]) {
      const found = simple(text);
      expect(found && duration(found.number, found.unit)).toBe(text);
    }
  });

  it("names days", () => {
    expect(daysWords(["mon", "tue", "wed", "thu", "fri"])).toBe("weekdays");
    expect(daysWords(["sun", "sat"])).toBe("Sat or Sun");
  });
});

describe("keys", () => {
  it("come from the name and are never taken twice", () => {
    expect(freeKey("First Hive · Wélcome!", [])).toBe("first-hive-welcome");
    expect(freeKey("This", [])).toBe("this-2");
    expect(freeKey("A", ["a", "a-2"])).toBe("a-3");
    expect(freeKey("ภาษา", [])).toBe("new");
  });
});
