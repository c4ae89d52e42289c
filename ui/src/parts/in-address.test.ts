import { flushPromises, mount } from "@vue/test-utils";
import { describe, expect, it, vi } from "vitest";
import { defineComponent, h } from "vue";
import { createMemoryHistory, createRouter } from "vue-router";

import { useInAddress } from "./in-address";

const FIRST = { q: "", down: false, page: 1, only: null as { is: string } | null };

async function opened(address: string) {
  vi.useFakeTimers();
  let asked!: typeof FIRST;
  const List = defineComponent({ setup: () => ((asked = useInAddress({ ...FIRST }) as typeof FIRST), () => h("div")) });
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: "/list", component: List },
      { path: "/one", component: () => h("p") },
    ],
  });
  await router.push(address);
  mount(() => h(List), { global: { plugins: [router] } });
  const written = async () => {
    await vi.advanceTimersByTimeAsync(250);
    await flushPromises();
    return router.currentRoute.value.fullPath;
  };
  return { asked, written, router };
}

describe("what is asked of a list", () => {
  it("stands in the address, and what is as at first is left out", async () => {
    const { asked, written } = await opened("/list");
    asked.q = "ana";
    asked.page = 3;
    expect(await written()).toBe("/list?q=ana&page=3");
    Object.assign(asked, { page: 1, down: true, only: { is: "news_on" } });
    expect(decodeURIComponent(await written())).toBe('/list?q=ana&down=true&only={"is":"news_on"}');
    Object.assign(asked, { q: "", down: false, only: null });
    expect(await written()).toBe("/list");
  });

  it("is read from it, as what it is; what is none of that stays as at first", async () => {
    const { asked } = await opened(`/list?q=12&down=true&page=4&only=${encodeURIComponent('{"is":"news_on"}')}`);
    expect({ ...asked }).toEqual({ q: "12", down: true, page: 4, only: { is: "news_on" } });
    const wrong = await opened("/list?page=soon&down=4");
    expect({ ...wrong.asked }).toEqual(FIRST);
  });

  it("leaves alone what others have put there, and is not written once one is elsewhere", async () => {
    const { asked, written, router } = await opened("/list?audience=fair");
    asked.q = "b";
    expect(await written()).toBe("/list?audience=fair&q=b");
    asked.q = "c";
    await router.push("/one");
    expect(await written()).toBe("/one");
  });
});
