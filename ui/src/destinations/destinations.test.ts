import { mount } from "@vue/test-utils";
import { describe, expect, it, vi } from "vitest";

import { named } from "../parts/named";
import DestinationFields, { type Destination } from "./DestinationFields.vue";
import { GROUPS, hears, KINDS, SAYS } from "./words";

vi.mock("../api/things", async () => {
  const { ref } = await import("vue");
  return { useThings: () => ({ options: ref({ course: [{ value: "bees", label: "First Hive" }] }) }) };
});

describe("what a destination hears, in words", () => {
  it("names a few kinds, counts many, and says when it is everything", () => {
    expect(hears(["purchased", "refunded"], [])).toBe("bought, refunded");
    expect(hears(["purchased", "refunded", "enrolled", "news_on"], [])).toBe("4 kinds of news");
    expect(
      hears(
        KINDS.map(([kind]) => kind),
        [],
      ),
    ).toBe("everything");
    expect(hears(["bounced"], ["First Hive", "Queen Rearing"])).toBe(
      "address bounced; only about First Hive, Queen Rearing",
    );
  });

  it("has words for each kind, once", () => {
    expect(new Set(KINDS.map(([kind]) => kind)).size).toBe(KINDS.length);
    expect(new Set(Object.values(SAYS)).size).toBe(KINDS.length);
    expect(GROUPS.flatMap((group) => group.kinds)).toEqual(KINDS);
  });
});

describe("the fields of a destination", () => {
  const begin: Destination = { name: "List", url: "https://list.example/", kinds: ["refunded"], courses: [] };
  function fields(start: Destination = begin) {
    const given = { now: start };
    const found = mount(DestinationFields, {
      props: { modelValue: start, "onUpdate:modelValue": (now: Destination) => (given.now = now) },
      global: { directives: { named } },
    });
    return { found, given };
  }

  it("keeps the kinds in their order, whichever is chosen first", async () => {
    const { found, given } = fields();
    await found.findAll("input[type=checkbox]")[0]?.setValue(true);
    expect(given.now.kinds).toEqual(["purchased", "refunded"]);
    await found.setProps({ modelValue: given.now });
    await found.findAll("input[type=checkbox]")[1]?.setValue(false);
    expect(given.now.kinds).toEqual(["purchased"]);
    expect(begin.kinds).toEqual(["refunded"]);
  });

  it("takes an address without the blanks that copying leaves", async () => {
    const { found, given } = fields();
    await found.findAll("input[type=text]")[1]?.setValue("  https://list.example/hear ");
    expect(given.now).toEqual({ ...begin, url: "https://list.example/hear" });
  });

  it("says that tags and news are told all the same, once courses are chosen", async () => {
    const { found } = fields();
    expect(found.text()).not.toContain("is told all the same");
    await found.setProps({ modelValue: { ...begin, courses: ["bees"] } });
    expect(found.text()).toContain("is told all the same");
    expect(found.text()).toContain("First Hive");
  });
});
