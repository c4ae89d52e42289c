import { describe, expect, it } from "vitest";

import { type Edited, firstMoves, MOVES, toMoves } from "./moves";

const move = (what: string, object = "", extra = ""): Edited => ({ day: 2, at: "20:15", what, object, extra });
const events = (...moves: Edited[]) =>
  toMoves(moves, new Map([["bees/m1", { lessons: ["bees/l1", "bees/l2"], quizzes: ["bees/q1"] }]])).map(
    (one) => one.event,
  );

describe("what a student does in a rehearsal", () => {
  it("becomes the events that a course site would report", () => {
    expect(events(move("purchased", "once"))).toEqual([{ type: "purchased", offer: "once" }]);
    expect(events(move("enrolled", "bees"))).toEqual([{ type: "enrolled", course: "bees", via: "manual" }]);
    expect(events(move("lesson_watched", "bees/l1", "50"))).toEqual([
      { type: "lesson_watched", lesson: "bees/l1", percent: 50 },
    ]);
    expect(events(move("quiz_taken", "bees/q1", "45"))).toEqual([{ type: "quiz_taken", quiz: "bees/q1", score: 45 }]);
    expect(events(move("answered", "help", "stuck"))).toEqual([{ type: "answered", letter: "help", answer: "stuck" }]);
    expect(events(move("signed_in"))).toEqual([{ type: "signed_in" }]);
  });

  it("finishes a module by finishing what is in it", () => {
    expect(events(move("module", "bees/m1")).map((event) => event.type)).toEqual([
      "lesson_completed",
      "lesson_completed",
      "quiz_taken",
    ]);
    expect(events(move("module", "bees/gone"))).toEqual([]);
  });

  it("leaves out what is not said to the end, and takes a number that is none for nothing", () => {
    for (const kind of MOVES.filter((one) => one.object)) expect(events(move(kind.value))).toEqual([]);
    expect(events(move("quiz_taken", "bees/q1", "x"))).toEqual([{ type: "quiz_taken", quiz: "bees/q1", score: 0 }]);
  });

  it("keeps the day and the hour of each", () => {
    expect(toMoves([{ ...move("signed_in"), day: 5, at: "07:00" }], new Map())).toEqual([
      { day: 5, at: "07:00", event: { type: "signed_in" } },
    ]);
  });
});

describe("a first scene", () => {
  const course = {
    key: "bees",
    lessons: [{ key: "bees/l1" }],
    quizzes: [{ key: "bees/q1" }],
    modules: [{ key: "bees/m1" }, { key: "bees/m2" }],
  } as never;
  const scene = (on: string, more: object = {}) =>
    firstMoves({ on, ...more }, [{ key: "once" }], course).map((one) =>
      [one.day, one.what, one.object, one.extra].join(" ").trim(),
    );

  it("fits how the sequence starts", () => {
    expect(scene("enrolled")).toEqual(["0 purchased once"]);
    expect(scene("signed_up", { form: "spring" })).toEqual(["0 signed_up spring"]);
    expect(scene("tag_added", { tag: "fair" })).toEqual(["0 tag_added fair"]);
    expect(scene("lesson_completed")).toEqual(["0 purchased once", "3 lesson_completed bees/l1"]);
    expect(scene("lesson_watched", { lesson: "bees/l9" })).toEqual(["0 purchased once", "3 lesson_watched bees/l9 50"]);
    expect(scene("quiz_failed")[1]).toBe("5 quiz_taken bees/q1 45");
    expect(scene("quiz_passed")[1]).toBe("5 quiz_taken bees/q1 90");
    expect(scene("module_completed")[1]).toBe("6 module bees/m1");
    expect(scene("course_completed")).toEqual(["0 purchased once", "6 module bees/m1", "12 module bees/m2"]);
  });

  it("enrols by hand where nothing can be bought", () => {
    expect(firstMoves(undefined, [], course)[0]).toMatchObject({ what: "enrolled", object: "bees" });
    expect(firstMoves({ on: "lesson_completed" }, [], undefined)).toMatchObject([{ object: "" }, { object: "" }]);
  });
});
