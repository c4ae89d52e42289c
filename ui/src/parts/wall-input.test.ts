import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";

import FindingLines from "./FindingLines.vue";
import WallInput from "./WallInput.vue";

describe("a day and a time as one text", () => {
  it("changes the one and keeps the other, whatever seconds it came with", async () => {
    const one = mount(WallInput, { props: { modelValue: "2026-03-05T09:00:00", day: "Day" }, attachTo: document.body });
    const [day, time] = [one.get("[aria-label=Day]"), one.get("[aria-label=Time]")];
    expect([(day.element as HTMLInputElement).value, (time.element as HTMLInputElement).value]).toEqual([
      "Thu 5 Mar 2026",
      "09:00",
    ]);
    await day.setValue("7 Mar 2026");
    await day.trigger("blur");
    expect(one.emitted("update:modelValue")?.at(-1)).toEqual(["2026-03-07T09:00"]);
    await one.setProps({ modelValue: "2026-03-07T09:00" });
    await time.setValue("18:30");
    await time.trigger("blur");
    expect(one.emitted("update:modelValue")?.at(-1)).toEqual(["2026-03-07T18:30"]);
    await day.setValue("no day");
    await day.trigger("blur");
    expect(one.emitted("update:modelValue")).toHaveLength(2);
    one.unmount();
  });
});

describe("findings that can't be mended now", () => {
  it("are said without their mend, and aloud only when they keep from running", () => {
    const mend = { label: "Mend it" };
    const found = [
      { code: "a", level: "fault", sentence: "It can't run.", mend },
      { code: "b", level: "warning", sentence: "Look at it.", mend },
    ] as never[];
    const [still, open] = [{ found, readonly: true, aloud: true }, { found }].map((props) =>
      mount(FindingLines, { props }),
    );
    expect([still?.findAll("button").length, open?.findAll("button").length]).toEqual([0, 2]);
    expect(still?.findAll("[role=alert]").map((one) => one.text())).toEqual(["✗ It can't run."]);
    expect(open?.findAll("[role=alert]")).toEqual([]);
  });
});
