import { describe, expect, it } from "vitest";

import { readField, writeField } from "./field-words";
import { fromChips, htmlToLine, lineToHtml, toChips } from "./merge-field";

describe("merge fields as chips", () => {
  it("come back as they were written", () => {
    const html = `<p>Hello {{ student.first_name | default('there') }}, a &amp; b</p><p>{{ course.title }}</p>`;
    const chips = toChips(html);
    expect(chips).toContain(`<span data-field="student.first_name | default('there')">`);
    expect(fromChips(chips.replaceAll("></span>", ">label</span>"))).toBe(html);
  });

  it("leave addresses of links alone", () => {
    const html = `<p><a href="{{ course.url }}">open</a></p>`;
    expect(toChips(html)).toBe(html);
  });

  it("keep a subject with quotes and signs", () => {
    const line = `{{ student.first_name | default("Hello") }}, 2 < 3 & "so on"`;
    expect(htmlToLine(lineToHtml(line))).toBe(line);
  });

  it("read and write fallbacks with apostrophes", () => {
    const field = { name: "student.first_name", fallback: "l'ami", filters: "upper" };
    expect(readField(writeField(field))).toEqual(field);
    expect(readField("course.title")).toEqual({ name: "course.title", fallback: null, filters: "" });
  });
});
