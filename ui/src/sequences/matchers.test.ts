import { describe, expect, it } from "vitest";

import { GROUPED, kindOf, MATCHERS, turned } from "./matchers";

describe("an event that is turned into another", () => {
  it("keeps what still fits and drops the rest", () => {
    const lesson = { on: "lesson_completed", lesson: "bees/l1", course: "bees" };
    expect(turned(lesson, "lesson_started")).toEqual({ on: "lesson_started", lesson: "bees/l1", course: "bees" });
    expect(turned(lesson, "quiz_failed")).toEqual({ on: "quiz_failed", course: "bees" });
    expect(turned(lesson, "signed_in")).toEqual({ on: "signed_in" });
    expect(turned({ on: "tag_added", tag: null } as never, "tag_removed")).toEqual({ on: "tag_removed" });
  });

  it("has what it can't do without", () => {
    expect(turned({ on: "enrolled", course: "bees" }, "inactive")).toEqual({
      on: "inactive",
      course: "bees",
      for: "P7D",
    });
    expect(turned({ on: "inactive", for: "P2D" }, "inactive")).toEqual({ on: "inactive", for: "P2D" });
    expect(turned({ on: "signed_in" }, "lesson_watched")).toEqual({ on: "lesson_watched", percent: 50 });
  });

  it("is offered once, under its own name", () => {
    const offered = GROUPED.flatMap((group) => group.options.map((option) => option.value));
    expect(new Set(offered).size).toBe(MATCHERS.length);
    expect(kindOf("nothing")).toBeUndefined();
    expect(new Set(MATCHERS.map((kind) => kind.label)).size).toBe(MATCHERS.length);
  });
});
