import { flushPromises, mount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { nextTick } from "vue";

import { Refusal, useCsrf } from "../api/client";
import FindingLines from "./FindingLines.vue";
import FigureTiles from "./FigureTiles.vue";
import { keepFile } from "./files";
import { named } from "./named";
import { uploaded } from "./pictures";

describe("files and pictures", () => {
  const answered = (status: number, body: unknown) => vi.fn(async () => new Response(JSON.stringify(body), { status }));
  beforeEach(() => useCsrf("a token"));
  afterEach(() => vi.unstubAllGlobals());

  it("a picture goes up as it is, with its name and the page's token", async () => {
    const fetch = answered(201, { key: "k", path: "/pictures/k" });
    vi.stubGlobal("fetch", fetch);
    const file = new File(["x"], `${"n".repeat(300)}.png`);
    expect((await uploaded(file)).path).toBe("/pictures/k");
    const [address, asked] = fetch.mock.calls[0] as unknown as [string, RequestInit];
    expect(new URLSearchParams(address.split("?")[1]).get("name")).toHaveLength(200);
    expect([asked.method, asked.body, (asked.headers as Record<string, string>)["X-CSRF-Token"]]).toEqual([
      "POST",
      file,
      "a token",
    ]);
  });

  it("what is refused is said in the server's words, or in ours where it has none", async () => {
    vi.stubGlobal("fetch", answered(422, { detail: "This picture is broken." }));
    await expect(uploaded(new File(["x"], "a.png"))).rejects.toThrow("This picture is broken.");
    vi.stubGlobal(
      "fetch",
      vi.fn(async () => new Response("<html>", { status: 502 })),
    );
    await expect(uploaded(new File(["x"], "a.png"))).rejects.toThrow("could not be taken in");
    await expect(keepFile("/api/x", "x.csv")).rejects.toThrow("could not be made");
    vi.stubGlobal("fetch", answered(503, { detail: "Nothing can be saved at the moment." }));
    await expect(keepFile("/api/x", "x.csv")).rejects.toEqual(new Refusal(503, "Nothing can be saved at the moment."));
  });

  it("a file is kept under its name and its memory given back", async () => {
    vi.useFakeTimers();
    const clicked: string[] = [];
    vi.stubGlobal(
      "fetch",
      vi.fn(async () => new Response("a,b")),
    );
    vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(function (this: HTMLAnchorElement) {
      clicked.push(this.download);
    });
    const given = vi.fn();
    Object.assign(URL, { createObjectURL: () => "blob:x", revokeObjectURL: given });
    await keepFile("/api/x", "students.csv", { all: true });
    expect(clicked).toEqual(["students.csv"]);
    expect(given).not.toHaveBeenCalled();
    vi.advanceTimersByTime(10_000);
    expect(given).toHaveBeenCalledOnce();
    vi.useRealTimers();
  });
});

describe("a list to choose from", () => {
  const shown = (name: string) =>
    mount(
      {
        props: ["name", "open"],
        directives: { named },
        template: `<div v-named="name" :class="{ 'ant-select-open': open }">
          <input id="i" role="combobox" aria-owns="i_list" aria-controls="i_list" aria-activedescendant="i_0" />
        </div>`,
      },
      { props: { name, open: false }, attachTo: document.body },
    );

  it("has a name, and says of its list only while there is one", async () => {
    const one = shown("Which course");
    const input = one.get("input");
    expect([
      input.attributes("aria-label"),
      input.attributes("aria-expanded"),
      input.attributes("aria-owns"),
      input.attributes("aria-activedescendant"),
    ]).toEqual(["Which course", "false", undefined, undefined]);
    await one.setProps({ open: true, name: "Which lesson" });
    await flushPromises();
    expect([
      input.attributes("aria-label"),
      input.attributes("aria-expanded"),
      input.attributes("aria-controls"),
    ]).toEqual(["Which lesson", "true", "i_list"]);
    one.unmount();
  });
});

describe("findings and figures", () => {
  it("a finding that can be mended has a button for it, others have none", async () => {
    const found = [
      { code: "a", level: "fault", sentence: "The subject is empty.", mend: null },
      { code: "b", level: "warning", sentence: "This names a price.", mend: { label: "Make it news" } },
    ];
    const one = mount(FindingLines, { props: { found: found as never[] } });
    expect(one.findAll("p").map((line) => line.classes().at(-1))).toEqual(["fault", "warning"]);
    expect(one.findAll("button")).toHaveLength(1);
    await one.get("button").trigger("click");
    expect(one.emitted("mend")?.[0]).toEqual([found[1]]);
  });

  it("a figure says its share, its range and whether it is of few, and opens its names", async () => {
    const figures = [
      { what: "posted", number: 40, share: null, low: null, high: null, of: null, small: false },
      { what: "opened", number: 3, share: 0.3, low: 0.11, high: 0.6, of: 10, small: true },
      { what: "clicked", number: 0, share: null, low: null, high: null, of: 0, small: false },
    ];
    const one = mount(FigureTiles, { props: { figures: figures as never[], note: "to 40 students" } });
    const texts = one.findAll("button").map((tile) => tile.text().replace(/\s+/g, " "));
    expect(texts[0]).toContain("to 40 students");
    expect(texts[1]).toContain("3 30%");
    expect(texts[1]).toContain("11 to 60%, of 10 (few)");
    expect(texts[2]).toContain("none yet");
    await one.findAll("button")[1]?.trigger("click");
    await nextTick();
    expect(one.emitted("open")).toEqual([["opened"]]);
  });
});
