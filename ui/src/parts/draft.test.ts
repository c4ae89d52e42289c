import { mount } from "@vue/test-utils";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h, nextTick, ref } from "vue";

import { Refusal } from "../api/client";
import { useDraft } from "./draft";

const leaving = vi.hoisted(() => ({
  guard: (() => true) as (to: { path: string }, from: { path: string }) => unknown,
  told: 0,
}));
vi.mock("vue-router", () => ({ onBeforeRouteLeave: (guard: typeof leaving.guard) => (leaving.guard = guard) }));
vi.mock("./notice", () => ({ useNotice: () => ({ done: () => (leaving.told += 1) }) }));

interface Letter {
  subject: string;
}
function opened(isOneStep?: (before: string, after: string) => boolean, name = () => "letter/a") {
  let draft!: ReturnType<typeof useDraft<Letter>>;
  const wrapper = mount(
    defineComponent({ setup: () => ((draft = useDraft<Letter>(name, isOneStep)), () => h("div")) }),
  );
  return { draft, wrapper };
}
async function type(draft: ReturnType<typeof useDraft<Letter>>, subject: string): Promise<void> {
  if (draft.current.value) draft.current.value.subject = subject;
  await nextTick();
}

describe("a draft", () => {
  beforeEach(() => {
    localStorage.clear();
    leaving.told = 0;
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
    const again = opened();
    again.draft.begin({ subject: "saved" });
    expect([again.draft.current.value?.subject, again.draft.restored.value]).toEqual(["not saved yet", false]);
    again.wrapper.unmount();
    vi.spyOn(performance, "timeOrigin", "get").mockReturnValue(1);
    const { draft } = opened();
    draft.begin({ subject: "saved" });
    expect([draft.current.value?.subject, draft.restored.value, draft.changed.value]).toEqual([
      "not saved yet",
      true,
      true,
    ]);
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

  it("is left without a question, and says where the changes are, but not on the way to what lies below it", async () => {
    const { draft } = opened();
    draft.begin({ subject: "a" });
    const from = { path: "/sequences/a" };
    expect([await leaving.guard({ path: "/today" }, from), leaving.told]).toEqual([true, 0]);
    await type(draft, "b");
    expect([await leaving.guard({ path: "/sequences/a/rehearsal" }, from), leaving.told]).toEqual([true, 0]);
    expect([await leaving.guard({ path: "/sequences/ab" }, from), leaving.told]).toEqual([true, 1]);
  });

  it("remembers which edition it began from, also over a reload, and shows both when there is a newer one", async () => {
    const first = opened();
    first.draft.begin({ subject: "one" }, "1");
    await type(first.draft, "mine");
    first.wrapper.unmount();
    const { draft } = opened();
    draft.begin({ subject: "theirs" }, "2");
    expect([draft.edition.value, draft.base.value?.subject, draft.current.value?.subject]).toEqual([
      "1",
      "one",
      "mine",
    ]);
    await draft.refused(new Refusal(412, "newer"), async () => ({ body: { subject: "theirs" }, edition: "2" }));
    expect(draft.clash.value?.body.subject).toBe("theirs");
    draft.resolve({ subject: "ours" });
    expect([draft.edition.value, draft.current.value?.subject, draft.changed.value]).toEqual(["2", "ours", true]);
    draft.undo();
    expect(draft.current.value?.subject).toBe("mine");
  });

  it("of something else takes the place of the one before, which waits under its own name", async () => {
    const place = ref("letter/a");
    const { draft } = opened(undefined, () => place.value);
    draft.begin({ subject: "a" });
    await type(draft, "a, changed");
    place.value = "letter/b";
    expect(draft.current.value).toBeNull();
    draft.begin({ subject: "b" });
    await type(draft, "b, changed");
    place.value = "letter/a";
    draft.begin({ subject: "a" });
    expect(draft.current.value?.subject).toBe("a, changed");
  });
});
