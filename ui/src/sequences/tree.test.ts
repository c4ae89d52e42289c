import { describe, expect, it } from "vitest";

import type { Sequence, Step } from "../api/school-file";
import { copyOf, find, fresh, insert, KINDS, lanes, move, moveIn, moveOut, remove, replace, walk } from "./tree";

const send = (id: string): Step => ({ id, do: "send", letter: id });
function scene(): Sequence {
  const steps: Step[] = [
    send("a"),
    {
      id: "f",
      do: "wait_for",
      event: { on: "signed_in" },
      within: "P2D",
      then: [send("yes")],
      else: [send("no"), send("later")],
    },
    { id: "b", do: "branch", arms: [{ if: { is: "news_on" }, steps: [send("one")] }], otherwise: [] },
    send("z"),
  ];
  return {
    key: "s",
    name: "s",
    status: "draft",
    starts: [],
    again: "once",
    leaves: [],
    posting_hours: "school",
    holds_broadcasts: false,
    reply_to: null,
    steps,
  };
}
const order = (sequence: Sequence) => [...walk(sequence.steps)].map((found) => found.step.id).join(" ");

describe("the tree of steps", () => {
  it("is walked in reading order, lanes included", () => {
    expect(order(scene())).toBe("a f yes no later b one z");
    expect(find(scene(), "later")?.spot).toEqual({ owner: "f", lane: "else", index: 1 });
  });

  it("takes steps in anywhere and gives them back", () => {
    const s = scene();
    insert(s, { owner: "b", lane: "arms/0/steps", index: 1 }, send("two"));
    insert(s, { owner: null, lane: "", index: 0 }, send("first"));
    expect(order(s)).toBe("first a f yes no later b one two z");
    expect(remove(s, "no")).toBe("later");
    expect(remove(s, "b")).toBe("z");
    expect(order(s)).toBe("first a f yes later z");
  });

  it("moves up and down, into lanes and out of them, and never changes what it was given", () => {
    const s = scene();
    const before = JSON.stringify(s.steps);
    const given = s.steps;
    expect(move(s, "z", -1)).toBe(true);
    expect(order(s)).toBe("a f yes no later z b one");
    expect(moveIn(s, "z")).toBe(true);
    expect(order(s)).toBe("a f yes no later z b one");
    expect(find(s, "z")?.spot.owner).toBe("f");
    expect(moveOut(s, "yes")).toBe(true);
    expect(order(s)).toBe("a f no later z yes b one");
    expect(move(s, "a", -1)).toBe(false);
    expect(moveOut(s, "a")).toBe(false);
    expect(JSON.stringify(given)).toBe(before);
  });

  it("keeps waypoints at the top level", () => {
    const s = scene();
    insert(
      s,
      { owner: null, lane: "", index: 2 },
      { id: "w", do: "waypoint", reach: { on: "signed_in" }, hold: false },
    );
    expect(moveIn(s, "w")).toBe(false);
  });

  it("copies with fresh ids and replaces deep steps", () => {
    const s = scene();
    const copy = copyOf(s, s.steps[1] as Step);
    expect([...walk([copy])].map((found) => found.step.id)).toEqual(["f-2", "yes-2", "no-2", "later-2"]);
    replace(s, { ...send("no"), letter: "other" });
    expect(find(s, "no")?.step.letter).toBe("other");
  });

  it("hides the lane that is never taken", () => {
    expect(lanes({ id: "f", do: "wait_for", within: null, then: [], else: [] }).map((lane) => lane.name)).toEqual([
      "Happens in time",
    ]);
  });

  it("gives every new step an id that none has", () => {
    const s = scene();
    for (const kind of [...KINDS, ...KINDS]) s.steps.push(fresh(s, kind.do, "bees"));
    const ids = [...walk(s.steps)].map((found) => found.step.id);
    expect(new Set(ids).size).toBe(ids.length);
  });
});
