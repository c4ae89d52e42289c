import { mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h, nextTick } from "vue";

import { useDraft } from "./draft";

const leaving = vi.hoisted(() => ({ guard: (() => true) as (to: { path: string }, from: { path: string }) => unknown, says: true, asked: 0 }));
vi.mock("vue-router", () => ({ onBeforeRouteLeave: (guard: typeof leaving.guard) => (leaving.guard = guard) }));
vi.mock("./notice", () => ({ useNotice: () => ({ ask: async () => ((leaving.asked += 1), leaving.says) }) }));

interface Letter {
  subject: string;
}
function opened(isOneStep?: (before: string, after: string) => boolean) {
  let draft!: ReturnType<typeof useDraft<Letter>>;
  const wrapper = mount(defineComponent({ setup: () => ((draft = useDraft<Letter>(() => "letter/a", isOneStep)), () => h("div")) }));
  return { draft, wrapper };
}
async function type(draft: ReturnType<typeof useDraft<Letter>>, subject: string): Promise<void> {
  if (draft.current.value) draft.current.value.subject = subject;
  await nextTick();
}

describe("a draft", () => {
  beforeEach(() => {
    localStorage.clear();
    leaving.asked = 0;
  });

  it("goes back and forward step by step, and forgets what lay ahead when something new is written", async () => {
    const { draft } = opened();
    draft.begin({ subject: "one" });
    expect([draft.changed.value, draft.canUndo.value]).toEqual([false, false]);
    await type(draft, "two");
    await type(draft, "three");
    draft.undo();
    expect(draft.current.value?.subject).toBe("two");
    draft.undo();
    expect([draft.current.value?.subject, draft.changed.value, draft.canUndo.value]).toEqual(["one", false, false]);
    draft.redo();
    await nextTick();
    expect([draft.current.value?.subject, draft.canRedo.value]).toEqual(["two", true]);
    await type(draft, "other");
    expect(draft.canRedo.value).toBe(false);
    draft.undo();
    expect(draft.current.value?.subject).toBe("two");
  });

  it("takes letters typed one after the other as one step, if that is wished", async () => {
    const { draft } = opened((before, after) => after.length - before.length === 1);
    draft.begin({ subject: "" });
    await type(draft, "Hello, all of you");
    for (const more of ["!", "!!", "!!!"]) await type(draft, `Hello, all of you${more}`);
    draft.undo();
    expect(draft.current.value?.subject).toBe("");
  });

  it("is there again after a reload until it is saved, and says that it was restored", async () => {
    const first = opened();
    first.draft.begin({ subject: "saved" });
    await type(first.draft, "not saved yet");
    first.wrapper.unmount();
    const { draft } = opened();
    draft.begin({ subject: "saved" });
    expect([draft.current.value?.subject, draft.restored.value, draft.changed.value]).toEqual(["not saved yet", true, true]);
    draft.settle(draft.copy());
    expect([draft.changed.value, draft.restored.value, localStorage.length]).toEqual([false, false, 0]);
  });

  it("keeps what is typed while a save is on its way as still to be saved", async () => {
    const { draft } = opened();
    draft.begin({ subject: "a" });
    await type(draft, "b");
    const sent = draft.copy();
    await type(draft, "c");
    draft.settle(sent);
    expect([draft.changed.value, draft.current.value?.subject]).toEqual([true, "c"]);
    draft.begin({ subject: "b" }); // what the server has now is what was sent: nothing on screen changes
    expect(draft.current.value?.subject).toBe("c");
  });

  it("can be given up, and that can be undone", async () => {
    const { draft } = opened();
    draft.begin({ subject: "saved" });
    await type(draft, "changed");
    draft.discard();
    await nextTick();
    expect([draft.current.value?.subject, localStorage.length]).toEqual(["saved", 0]);
    draft.undo();
    expect(draft.current.value?.subject).toBe("changed");
  });

  it("asks before it is left with changes, but not on the way to what lies below it", async () => {
    const { draft } = opened();
    draft.begin({ subject: "a" });
    const from = { path: "/sequences/a" };
    expect(await leaving.guard({ path: "/today" }, from)).toBe(true);
    await type(draft, "b");
    expect(await leaving.guard({ path: "/sequences/a/rehearsal" }, from)).toBe(true);
    expect(leaving.asked).toBe(0);
    leaving.says = false;
    expect([await leaving.guard({ path: "/today" }, from), leaving.asked]).toEqual([false, 1]);
    leaving.says = true;
    expect(await leaving.guard({ path: "/sequences/ab" }, from)).toBe(true);
    expect(leaving.asked).toBe(2);
  });
});
