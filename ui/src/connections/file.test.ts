import { describe, expect, it } from "vitest";

import {
  answered,
  asked,
  confirmed,
  type ConnectionFile,
  dropped,
  type Guess,
  pathTo,
  pathWords,
  placeOf,
  placeWords,
  taken,
  takenAt,
  withLines,
} from "./file";

const FRESH: ConnectionFile = {
  format: "patient-courier.connection",
  version: 1,
  key: "shop",
  name: "Shop",
  proof: { kind: "address" },
  each: null,
  student: { email: null },
  at: null,
  id: null,
  rules: [],
};
const guess = (what: string, pointer: string, text = "", line: string | null = null): Guess => ({
  what,
  pointer,
  text,
  line,
  shape: "",
});

describe("a connection file pointed together", () => {
  it("takes values for what they are said to be, and lets go of them again", () => {
    let file = taken(FRESH, "student.email", "/buyer/mail", "a@example.org");
    file = taken(file, "fact.country", "/buyer/land", "PT");
    file = taken(file, "at", "/ts", "1772460300123");
    file = taken(taken(file, "id", "/no", "7"), "id", "/no", "7");
    file = taken(file, "rule.offer", "/sku", "FH-1");
    file = taken(file, "when", "/topic", "order.paid");
    expect(file).toEqual({
      ...FRESH,
      student: { email: "/buyer/mail", fields: { country: "/buyer/land" } },
      at: { place: "/ts", as: "milliseconds" },
      id: ["/no"],
      rules: [
        {
          when: [{ place: "/topic", is: ["order.paid"] }],
          event: { type: "purchased", offer: { place: "/sku", map: {} } },
        },
      ],
    });
    expect(asked(file)).toEqual(["/topic", "/sku"]);
    expect(takenAt(file).get("/sku")).toEqual(["what was bought"]);
    for (const [part, place] of [
      ["student.email", ""],
      ["fact.country", ""],
      ["at", ""],
      ["id", "/no"],
      ["rule.offer", ""],
      ["when", "/topic"],
    ] as const)
      file = dropped(file, part, place);
    expect(file).toEqual({
      ...FRESH,
      student: { email: null, fields: {} },
      rules: [{ when: [], event: { type: "purchased" } }],
    });
    expect(FRESH.student.email).toBeNull();
  });

  it("means in each line what was pointed at in one of them", () => {
    let file = taken(FRESH, "rule.offer", "/order/lines/0/sku", "FH-1");
    file = taken(file, "student.email", "/order/linesman", "a@example.org");
    file = withLines(file, "/order/lines");
    expect(file.each).toBe("$.order.lines[*]");
    expect(file.rules[0]?.event.offer).toEqual({ place: "item/sku", map: {} });
    expect(file.student.email).toBe("/order/linesman");
  });

  it("confirms guesses one after the other, each where it stands by then", () => {
    const all = [
      guess("each", "/lines"),
      guess("offer", "/lines/0/sku", "A", "/lines"),
      guess("topic", "/topic", "paid"),
    ];
    const file = all.reduce(confirmed, FRESH);
    expect(file.rules[0]?.event.offer).toEqual({ place: "item/sku", map: {} });
    expect(all.every((one) => answered(file, one))).toBe(true);
  });

  it("reads and writes places as people do", () => {
    expect(placeOf("/a/0/b", ["/a/0", "/a/1"])).toBe("item/b");
    expect(placeOf("/a/10/b", ["/a/1"])).toBe("/a/10/b");
    expect(placeWords("/order/a~1b/m~0l")).toBe("order · a/b · m~l");
    expect(placeWords("item/sku")).toBe("line · sku");
    expect(pathTo("/a b/lines")).toBe('$["a b"].lines[*]');
    expect(pathTo("")).toBe("$[*]");
    expect(pathWords("$.order.lines[*]")).toBe("order · lines");
  });
});
