import { QueryClient, VueQueryPlugin } from "@tanstack/vue-query";
import { flushPromises, mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h, ref } from "vue";

import { Refusal } from "../api/client";
import { useAct } from "./act";
import { useSaving } from "./saving";

const said: string[] = [];
vi.mock("./notice", () => ({
  useNotice: () => ({ done: (text: string) => said.push(text), refused: (error: Error) => said.push(error.message) }),
}));

/** What a component would get from this, and which questions are asked anew meanwhile. */
function within<T>(use: () => T): { found: T; asked: unknown[] } {
  const client = new QueryClient();
  const asked: unknown[] = [];
  vi.spyOn(client, "invalidateQueries").mockImplementation((filters) => {
    asked.push((filters as { queryKey?: unknown } | undefined)?.queryKey ?? "all");
    return Promise.resolve();
  });
  let found!: T;
  const setup = () => ((found = use()), () => h("div"));
  mount(defineComponent({ setup }), { global: { plugins: [[VueQueryPlugin, { queryClient: client }]] } });
  return { found, asked };
}

beforeEach(() => said.splice(0));

describe("an act of the owner", () => {
  it("says what was done and asks everything anew, or what it names", async () => {
    const done = (out: number, what: number) => said.push(`${what} became ${out}`);
    const all = within(() => useAct(async (what: number) => what + 1, { done }));
    all.found.mutate(1);
    const few = within(() => useAct(async () => 0, { refreshes: ["kept", "letters"] }));
    few.found.mutate();
    const none = within(() => useAct(async () => 0, { refreshes: [] }));
    none.found.mutate();
    await flushPromises();
    expect([said, all.asked, few.asked, none.asked]).toEqual([["1 became 2"], ["all"], [["kept"], ["letters"]], []]);
  });

  it("says why it was refused, and nothing is asked anew", async () => {
    const { found, asked } = within(() =>
      useAct(() => Promise.reject(new Error("Not today.")), { done: () => said.push("done") }),
    );
    found.mutate();
    await flushPromises();
    expect([said, asked]).toEqual([["Not today."], []]);
  });
});

describe("saving over an edition", () => {
  function draft() {
    const steps: unknown[] = [];
    const kept = {
      changed: ref(true) as never,
      edition: ref("1"),
      copy: () => ({ name: "mine" }),
      settle: (sent: unknown, now?: string) => void steps.push(["settled", sent, now]),
      refused: async (error: unknown, read: () => Promise<unknown>) =>
        void steps.push([(error as Refusal).status, await read()]),
      resolve: (chosen: unknown) => void steps.push(["resolved", chosen]),
    };
    return { kept, steps };
  }

  it("names the edition it began from, settles, and does not save twice at once", async () => {
    const { kept, steps } = draft();
    const put = vi.fn(async () => ({ edition: "2" }));
    const { found, asked } = within(() => useSaving(kept, put, vi.fn(), (now) => `Edition ${now.edition}`));
    found.save();
    await Promise.resolve();
    found.save();
    await flushPromises();
    expect(put.mock.calls).toEqual([[{ name: "mine" }, "1"]]);
    expect([steps, said, asked]).toEqual([[["settled", { name: "mine" }, "2"]], ["Edition 2"], ["all"]]);
  });

  it("leaves what has not changed, and shows the newer edition beside it when another window was quicker", async () => {
    const { kept, steps } = draft();
    const put = vi.fn(() => Promise.reject(new Refusal(412, "newer")));
    const theirs = { body: { name: "theirs" }, edition: "9" };
    const { found } = within(() =>
      useSaving(
        kept,
        put,
        async () => theirs,
        () => "",
      ),
    );
    (kept.changed as { value: boolean }).value = false;
    found.save();
    await flushPromises();
    expect(put).not.toHaveBeenCalled();
    found.choose({ name: "both" });
    await flushPromises();
    expect(steps).toEqual([
      ["resolved", { name: "both" }],
      [412, theirs],
    ]);
  });
});
