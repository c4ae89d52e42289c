import { mount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h, nextTick } from "vue";

import { useAutosave } from "./autosave";

vi.mock("vue-router", () => ({ onBeforeRouteLeave: () => undefined }));
interface Plan {
  name: string;
}
function opened(
  save: (body: Plan, edition: string) => Promise<unknown>,
  there = { body: { name: "theirs" }, edition: "2" },
) {
  let found!: ReturnType<typeof useAutosave<Plan>>;
  const saving = async (body: Plan, edition: string) => String(await save(body, edition));
  const setup = () => (
    (found = useAutosave<Plan>(
      () => "plan",
      saving,
      async () => there,
    )),
    () => h("div")
  );
  const wrapper = mount(defineComponent({ setup }));
  const type = async (name: string) => {
    if (found.current.value) found.current.value.name = name;
    await nextTick();
  };
  return { ...found, type, wrapper };
}

describe("saving as one types", () => {
  beforeEach(() => {
    localStorage.clear();
    vi.useFakeTimers();
  });
  afterEach(() => vi.useRealTimers());

  it("waits for a pause, then saves the last words once", async () => {
    const sent: string[] = [];
    const plan = opened(async (body) => sent.push(body.name));
    plan.begin({ name: "" });
    for (const name of ["S", "Sp", "Spring"]) await plan.type(name);
    await vi.advanceTimersByTimeAsync(340);
    expect(sent).toEqual([]);
    await vi.advanceTimersByTimeAsync(20);
    expect([sent, plan.changed.value, localStorage.length]).toEqual([["Spring"], false, 0]);
  });

  it("saves one after the other, the last one last, however slow the first is", async () => {
    const sent: string[] = [];
    const answers: (() => void)[] = [];
    const plan = opened((body) => new Promise<void>((done) => (sent.push(body.name), answers.push(done))));
    plan.begin({ name: "" });
    await plan.type("one");
    void plan.flush();
    await plan.type("two");
    const second = plan.flush();
    await vi.advanceTimersByTimeAsync(2000);
    expect([sent, plan.saving.value]).toEqual([["one"], true]);
    answers[0]?.();
    await vi.advanceTimersByTimeAsync(0);
    expect(sent).toEqual(["one", "two"]);
    answers[1]?.();
    await second;
    expect([plan.changed.value, plan.saving.value, localStorage.length]).toEqual([false, false, 0]);
  });

  it("keeps what is refused in this browser, says why, and tries again with the next change", async () => {
    let refuses = true;
    const plan = opened(async () => {
      if (refuses) throw new Error("There is no such letter.");
    });
    plan.begin({ name: "" });
    await plan.type("x");
    await plan.flush();
    expect([plan.refused.value, plan.changed.value, localStorage.length]).toEqual([
      "There is no such letter.",
      true,
      1,
    ]);
    plan.wrapper.unmount();
    const again = opened(async () => undefined);
    again.begin({ name: "" });
    expect(again.current.value?.name).toBe("x");
    refuses = false;
    await again.type("xy");
    await vi.advanceTimersByTimeAsync(400);
    expect([again.refused.value, again.changed.value, localStorage.length]).toEqual(["", false, 0]);
  });

  it("is not disturbed by what the server says meanwhile", async () => {
    const plan = opened(async () => undefined);
    plan.begin({ name: "a" });
    await plan.type("b");
    plan.begin({ name: "from elsewhere" });
    expect(plan.current.value?.name).toBe("b");
    await plan.flush();
    plan.begin({ name: "from elsewhere" });
    expect(plan.current.value?.name).toBe("from elsewhere");
  });

  it("keeps what was changed back while a save was on its way, and saves that too", async () => {
    const sent: string[] = [];
    const answers: (() => void)[] = [];
    const plan = opened((body) => new Promise<void>((done) => (sent.push(body.name), answers.push(done))));
    plan.begin({ name: "a" });
    await plan.type("b");
    void plan.flush();
    await plan.type("a");
    plan.begin({ name: "b" });
    expect(plan.current.value?.name).toBe("a");
    answers[0]?.();
    await vi.advanceTimersByTimeAsync(400);
    expect(sent).toEqual(["b", "a"]);
    answers[1]?.();
    await vi.advanceTimersByTimeAsync(0);
    expect([plan.current.value?.name, plan.changed.value, localStorage.length]).toEqual(["a", false, 0]);
  });
});
