import { expect, test } from "vitest";

import { patched } from "./patched";

test("a value is replaced in a copy, however deep it stands, and nothing else", () => {
  const letter = { subject: "LOUD", blocks: [{ kind: "button", url: "http://a.example" }] };
  const mended = patched(letter, [
    { op: "replace", path: "/blocks/0/url", value: "https://a.example" },
    { op: "replace", path: "/subject", value: "Quiet" },
  ]);
  expect(mended).toEqual({ subject: "Quiet", blocks: [{ kind: "button", url: "https://a.example" }] });
  expect(letter.subject).toBe("LOUD");
  expect(patched(letter, [{ op: "replace", path: "/nothing/here", value: 1 }])).toEqual(letter);
});
