import { mount } from "@vue/test-utils";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { defineComponent, h } from "vue";

import { type Acts, useShortcuts } from "./shortcuts";

const done: string[] = [];
const says = (name: string) => vi.fn((...args: unknown[]) => void done.push([name, ...args].join(" ")));
const acts = Object.fromEntries(
  ["save", "undo", "redo", "choose", "move", "remove", "copy", "add", "leave"].map((name) => [name, says(name)]),
) as unknown as Acts;
const Editor = defineComponent({
  setup() {
    useShortcuts(acts, { l: "send", w: "wait" });
    return () =>
      h("div", [
        h("button", { class: "card" }),
        h("div", { class: "panel" }, [h("input"), h("button", { class: "inside" })]),
        h("div", { role: "dialog" }, [h("button", { class: "apart" })]),
      ]);
  },
});

function press(where: string, key: string, more: KeyboardEventInit = {}): boolean {
  const event = new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more });
  const target = where === "body" ? document.body : document.querySelector(where);
  target?.dispatchEvent(event);
  return event.defaultPrevented;
}

describe("the keys of the sequence editor", () => {
  let editor: ReturnType<typeof mount>;
  beforeEach(() => {
    document.body.innerHTML = "";
    done.length = 0;
    editor = mount(Editor, { attachTo: document.body });
  });
  afterEach(() => {
    editor.unmount();
    done.length = 0;
    expect([press("body", "w"), done]).toEqual([false, []]); // whoever has left the editor has its keys no more
  });

  it.each([
    ["body", "l", {}, "add send"],
    [".card", "w", {}, "add wait"],
    [".inside", "w", {}, "add wait"],
    ["body", "ArrowDown", {}, "choose 1"],
    ["body", "ArrowUp", {}, "choose -1"],
    [".card", "ArrowUp", { altKey: true }, "move up"],
    [".card", "ArrowRight", { altKey: true }, "move in"],
    [".card", "Delete", {}, "remove"],
    [".card", "c", {}, "copy"],
    [".card", "z", { ctrlKey: true }, "undo"],
    [".card", "z", { metaKey: true, shiftKey: true }, "redo"],
    [".card", "y", { ctrlKey: true }, "redo"],
    ["input", "s", { ctrlKey: true }, "save"],
    ["input", "Escape", {}, "leave"],
  ] as [string, string, KeyboardEventInit, string][])("in %s: %s %j", (where, key, more, what) => {
    expect(press(where, key, more)).toBe(true);
    expect(done).toEqual([what]);
  });

  it.each([
    ["input", "l", {}],
    ["input", "Delete", {}],
    ["input", "ArrowDown", {}],
    ["input", "z", { ctrlKey: true }],
    [".apart", "w", {}],
    ["body", "x", {}],
    ["body", "l", { ctrlKey: true }],
    [".card", "Escape", {}],
  ] as [string, string, KeyboardEventInit][])("mean themselves in %s: %s %j", (where, key, more) => {
    expect(press(where, key, more)).toBe(false);
    expect(done).toEqual([]);
  });

  it("wait while something stands open before the place", () => {
    document.body.insertAdjacentHTML("beforeend", '<div class="ant-modal-wrap"></div>');
    expect(press("body", "w")).toBe(false);
    document.querySelector(".ant-modal-wrap")?.setAttribute("style", "display: none;");
    expect(press("body", "w")).toBe(true);
  });
});
