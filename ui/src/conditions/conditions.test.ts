import { describe, expect, it } from "vitest";

import { allOf, type Condition, fromLines, GROUPED, KINDS, partsOf, toLines } from "./conditions";

const [news, tag, sent]: Condition[] = [{ is: "news_on" }, { is: "tagged", tag: "fair" }, { is: "sent", letter: "x" }];

describe("conditions as lines", () => {
  it("come back as they were", () => {
    for (const condition of [
      null,
      news,
      { not: news },
      { all: [news, { not: tag }] },
      { any: [news, tag, sent] },
    ] as (Condition | null)[]) {
      expect(fromLines(toLines(condition))).toEqual(condition);
    }
  });

  it("that are one line need no word between", () => {
    expect(fromLines({ mode: "any", lines: [{ not: true, condition: news as Condition }] })).toEqual({ not: news });
    expect(fromLines({ mode: "all", lines: [] })).toBeNull();
  });

  it("keep what is nested as one line", () => {
    const nested = { all: [news, { any: [tag, sent] }] };
    expect(toLines(nested).lines).toHaveLength(2);
    expect(fromLines(toLines(nested))).toEqual(nested);
  });

  it("are taken apart and put together where all must hold", () => {
    expect(partsOf(null)).toEqual([]);
    expect(partsOf(news as Condition)).toEqual([news]);
    expect(partsOf({ any: [news, tag] })).toEqual([{ any: [news, tag] }]);
    for (const parts of [[], [news], [news, tag]] as Condition[][]) expect(partsOf(allOf(parts))).toEqual(parts);
  });

  it("stand each in one group of the menu", () => {
    const offered = GROUPED.flatMap((group) => group.options.map((option) => option.value));
    expect(offered.sort()).toEqual(KINDS.map((kind) => kind.value).sort());
    expect(new Set(offered).size).toBe(offered.length);
  });
});
