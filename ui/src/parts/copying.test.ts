import { mount } from "@vue/test-utils";
import App from "ant-design-vue/es/app";
import { afterEach, expect, it, vi } from "vitest";
import { defineComponent, h } from "vue";

import { useCsrf } from "../api/client";
import { useCopy } from "./copying";
import { sendFile } from "./files";

afterEach(() => vi.unstubAllGlobals());

/** The copying of a component inside the application's frame. */
function copier(): (text: string) => Promise<void> {
  let copy: (text: string) => Promise<void> = async () => undefined;
  const inner = defineComponent(() => {
    copy = useCopy();
    return () => h("i");
  });
  mount(App, { slots: { default: () => h(inner) }, attachTo: document.body });
  return copy;
}

it("copies a text and says so", async () => {
  const writeText = vi.fn(async () => undefined);
  vi.stubGlobal("navigator", { ...navigator, clipboard: { writeText } });
  await copier()("an address");
  expect(writeText).toHaveBeenCalledWith("an address");
  await vi.waitFor(() => expect(document.body.textContent).toContain("Copied."));
});

it("says what to do where the browser does not let us copy", async () => {
  vi.stubGlobal("navigator", { ...navigator, clipboard: undefined });
  await copier()("an address");
  await vi.waitFor(() => expect(document.body.textContent).toContain("Mark the text and copy it yourself."));
});

it("sends a file as it is, and throws the server's own words", async () => {
  useCsrf("token");
  const asked = vi.fn(async () => new Response('{"rows": 2}'));
  vi.stubGlobal("fetch", asked);
  const file = new File(["a,b"], "a.csv");
  expect(await sendFile<{ rows: number }>("/api/x", file)).toEqual({ rows: 2 });
  const [address, how] = asked.mock.calls[0] as unknown as [string, RequestInit];
  expect([address, how.body, (how.headers as Record<string, string>)["X-CSRF-Token"]]).toEqual([
    "/api/x",
    file,
    "token",
  ]);
  vi.stubGlobal("fetch", async () => new Response('{"detail": "This file is empty."}', { status: 422 }));
  await expect(sendFile("/api/x", file)).rejects.toThrow("This file is empty.");
  vi.stubGlobal("fetch", async () => new Response("no JSON", { status: 502 }));
  await expect(sendFile("/api/x", file)).rejects.toThrow("This file could not be read.");
});
