import { expect, test } from "vitest";

import type { Block } from "../api/school-file";
import { answerKeys, freshBlock, freshKeys, inserted, moved } from "./blocks";

const named = (name: string): Block => ({ kind: "note", text: name });
const names = (blocks: Block[]) => blocks.map((one) => (one.kind === "note" ? one.text : "?")).join("");

test("a block moves up, down and not beyond the ends", () => {
  const list = ["a", "b", "c"].map(named);
  expect(names(moved(list, 0, 1))).toBe("bac");
  expect(names(moved(list, 2, 0))).toBe("cab");
  expect(names(moved(list, 0, 99))).toBe("bca");
  expect(names(moved(list, 1, -1))).toBe("bac");
  expect(names(inserted(list, 1, named("x")))).toBe("axbc");
});

test("a second block of answers gets keys of its own, also inside columns", () => {
  const first = freshBlock("answers");
  const second = freshKeys(first, answerKeys([first]));
  expect(answerKeys([second])).toEqual(["well-2", "stuck-2"]);
  const columns: Block = { kind: "columns", left: [first], right: [second] };
  expect(answerKeys([freshKeys(columns, answerKeys([columns]))])).toEqual(["well-3", "stuck-3", "well-4", "stuck-4"]);
});
