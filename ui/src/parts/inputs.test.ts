import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";

import ClockInput from "./ClockInput.vue";
import DurationInput from "./DurationInput.vue";

function clock(value: string | null, empty = false) {
  const wrapper = mount(ClockInput, { props: { modelValue: value, label: "At", empty } });
  const input = wrapper.get("input");
  return {
    async type(text: string) {
      await input.setValue(text);
      await input.trigger("blur");
      return wrapper.emitted("update:modelValue")?.at(-1)?.[0];
    },
    wrong: () => wrapper.find(".ant-input-status-error").exists(),
  };
}

describe("a time of day", () => {
  it.each([
    ["9", "09:00"],
    ["9:30", "09:30"],
    ["9.05", "09:05"],
    ["0930", "09:30"],
    ["23h59", "23:59"],
    [" 7 45 ", "07:45"],
  ])("reads %s as %s", async (text, time) => {
    expect(await clock("10:00").type(text)).toBe(time);
  });

  it.each(["24:00", "9:60", "nine", "9:3", ""])("refuses “%s” and keeps what it had", async (text) => {
    const one = clock("10:00");
    expect(await one.type(text)).toBeUndefined();
    expect(one.wrong()).toBe(true);
  });

  it("may be empty where that means something", async () => {
    const one = clock("10:00", true);
    expect([await one.type(" "), one.wrong()]).toEqual([null, false]);
  });
});

describe("a length of time", () => {
  const span = (value: string | null, least?: number) =>
    mount(DurationInput, {
      props: { modelValue: value, label: "For", least },
      global: { directives: { named: () => undefined } },
    });
  const last = (wrapper: ReturnType<typeof span>) => wrapper.emitted("update:modelValue")?.at(-1)?.[0];

  it("is a number and a unit", async () => {
    const wrapper = span("P3D");
    expect(wrapper.get("input").element.value).toBe("3");
    await wrapper.get("input").setValue("5");
    expect(last(wrapper)).toBe("P5D");
  });

  it("of nothing is none, unless it must be something", async () => {
    const free = span("P3D");
    await free.get("input").setValue("0");
    expect(last(free)).toBeNull();
    const bound = span("PT3H", 1);
    await bound.get("input").setValue("0");
    await bound.get("input").trigger("blur");
    expect(last(bound)).toBe("PT1H");
  });

  it("that has several parts is shown as it is written and not changed", () => {
    const wrapper = span("P1DT2H");
    expect(wrapper.text()).toContain("P1DT2H, or");
    expect(last(wrapper)).toBeUndefined();
  });
});
