import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import { ref } from "vue";

import type { Step } from "../api/school-file";
import { EDITING, type Editing, stepName } from "./editing";
import StepCard from "./StepCard.vue";

function editing(more: Partial<Editing> = {}): Editing {
  return {
    chosen: ref(""),
    marks: ref(new Map()),
    phrases: ref({ f: ["finished lesson “Before you buy”"] }),
    findings: ref([]),
    figures: ref({}),
    letters: ref(new Map([["welcome", { name: "First Hive · access", purpose: "service" } as never]])),
    names: ref(new Map([["nudge", "A nudge"]])),
    add: () => undefined,
    who: () => undefined,
    mend: () => undefined,
    writeLetter: async () => undefined,
    ...more,
  };
}
const card = (step: Step, more: Partial<Editing> = {}) =>
  mount(StepCard, { props: { step }, global: { provide: { [EDITING as symbol]: editing(more) } } });
const says = (step: object) =>
  card({ id: "f", ...step } as Step)
    .text()
    .replace(/\s+/g, " ");

// Parts stand apart by their boxes, not by blanks, so the words of some run together here.
describe("a step on the ruler", () => {
  it.each<[object, string]>([
    [{ do: "send", letter: "welcome" }, "First Hive · access"],
    [{ do: "send", letter: "" }, "Choose a letter"],
    [{ do: "tell", letter: "welcome", to: "owner" }, "to you"],
    [{ do: "tell", letter: "welcome", to: ["a@example.org", "b@example.org"] }, "to a@example.org, b@example.org"],
    [{ do: "wait", for: "P1D", at: "10:00" }, "next dayat10:00"],
    [{ do: "wait_for", within: "P3D" }, "finished lesson “Before you buy”, up to 3 days"],
    [{ do: "wait_for", within: null }, "however long it takes"],
    [{ do: "waypoint", hold: true }, "everyone waits here for it"],
    [{ do: "waypoint", hold: false }, "skips everything above"],
    [{ do: "tag", add: ["new keeper"], remove: ["guest"] }, "adds “new keeper”takes off “guest”"],
    [{ do: "tag", add: [], remove: [] }, "choose a tag"],
    [{ do: "repeat", times: null }, "without end"],
    [{ do: "repeat", times: 4 }, "4 times"],
    [{ do: "dated", at: "2026-03-05T18:00", zone: "school" }, "2026-03-05 18:00 school time"],
    [{ do: "start_sequence", sequence: "nudge" }, "Start “A nudge”"],
    [{ do: "stop_sequence", sequence: "" }, "Take the student out of “…”"],
    [{ do: "certificate", course: "this" }, "of this course"],
    [{ do: "end" }, "The end"],
  ])("says what %j does", (step, words) => {
    expect(says(step)).toContain(words);
  });

  it("is chosen with a click and shows it", async () => {
    const chosen = ref("");
    const one = card({ id: "s", do: "send", letter: "welcome" }, { chosen });
    expect(one.get("button").attributes("aria-pressed")).toBe("false");
    await one.get("button").trigger("click");
    expect([chosen.value, one.get("button").attributes("aria-pressed")]).toEqual(["s", "true"]);
  });

  it("shows its own figures and findings, and opens who waits and what mends", async () => {
    const asked: unknown[] = [];
    const fault = { step: "s", level: "fault", sentence: "There is no such letter.", mend: { label: "Take it out" } };
    const other = { step: "t", level: "warning", sentence: "Of another step." };
    const one = card(
      { id: "s", do: "send", letter: "welcome" },
      {
        figures: ref({ s: { sent: 12, opened: 7, skipped: 2, stuck: 1, waiting: 3 } as never }),
        findings: ref([fault, other] as never[]),
        who: (step) => asked.push(["who", step]),
        writeLetter: async () => undefined,
        mend: (finding) => asked.push(["mend", finding]),
      },
    );
    expect(one.text()).toContain("12 sent");
    expect(one.text()).toContain("1 stuck");
    expect(one.text()).not.toContain("not posted yet");
    expect(one.text()).not.toContain("Of another step");
    expect(one.get("[role=alert]").text()).toContain("There is no such letter.");
    await one.get(".waiting").trigger("click");
    await one.get(".finding button").trigger("click");
    expect(asked).toEqual([
      ["who", "s"],
      ["mend", fault],
    ]);
  });

  it("has a short name for labels", () => {
    expect(stepName({ id: "a", do: "send", letter: "welcome" }, editing())).toBe("First Hive · access");
    expect(stepName({ id: "a", do: "send", letter: "gone" }, editing())).toBe("gone");
    expect(stepName({ id: "a", do: "wait_for" }, editing())).toBe("wait for");
  });
});
