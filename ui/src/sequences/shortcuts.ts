import { onBeforeUnmount, onMounted } from "vue";

import { isWriting, withControl } from "../parts/typing";

export interface Acts {
  save: () => void;
  undo: () => void;
  redo: () => void;
  choose: (by: 1 | -1) => void;
  move: (way: "up" | "down" | "in" | "out") => void;
  remove: () => void;
  copy: () => void;
  add: (kind: string) => void;
  /** From the fields of a step back to the step. */
  leave: () => void;
}

/**
 * The keys of the sequence editor, wherever on the page the keyboard is. Single
 * keys act only where nothing is being written; saving and undoing always do.
 */
export function useShortcuts(acts: Acts, kinds: Record<string, string>): void {
  function control(event: KeyboardEvent): (() => void) | undefined {
    const key = event.key.toLowerCase();
    if (key === "s") return acts.save;
    if (isWriting(event)) return undefined;
    if (key === "z") return event.shiftKey ? acts.redo : acts.undo;
    return key === "y" ? acts.redo : undefined;
  }
  function single(event: KeyboardEvent): (() => void) | undefined {
    const inPanel = event.target instanceof HTMLElement && event.target.closest(".panel") !== null;
    if (event.key === "Escape" && inPanel) return acts.leave;
    if (isWriting(event)) return undefined;
    if (event.altKey) {
      const way = { ArrowUp: "up", ArrowDown: "down", ArrowRight: "in", ArrowLeft: "out" }[event.key] as
        "up" | undefined;
      return way && (() => acts.move(way));
    }
    if (event.key === "ArrowUp" || event.key === "ArrowDown")
      return () => acts.choose(event.key === "ArrowUp" ? -1 : 1);
    if (event.key === "Delete") return acts.remove;
    if (event.key === "c") return acts.copy;
    const kind = kinds[event.key];
    return kind ? () => acts.add(kind) : undefined;
  }
  function pressed(event: KeyboardEvent): void {
    const act = withControl(event) ? control(event) : event.ctrlKey || event.metaKey ? undefined : single(event);
    if (!act) return;
    event.preventDefault();
    act();
  }
  onMounted(() => window.addEventListener("keydown", pressed));
  onBeforeUnmount(() => window.removeEventListener("keydown", pressed));
}
