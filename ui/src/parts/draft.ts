import { computed, ref, watch } from "vue";
import { onBeforeRouteLeave } from "vue-router";

import { useNotice } from "./notice";

/** How soon one change must follow another to be a part of it. */
const TOGETHER_MS = 800;

/**
 * Something being edited: kept in this browser at every change, so that a
 * reload loses nothing, with steps back and forward. `isOneStep` says which
 * changes, each right after the one before, are undone together.
 */
export function useDraft<T extends object>(name: () => string, isOneStep: (before: string, after: string) => boolean = () => false) {
  const saved = ref("");
  const current = ref<T | null>(null);
  const past = ref<string[]>([]);
  const future = ref<string[]>([]);
  const restored = ref(false);
  const notice = useNotice();
  let last = "";
  let changedAt = 0;

  const text = computed(() => (current.value ? JSON.stringify(current.value) : ""));
  const changed = computed(() => current.value !== null && text.value !== saved.value);
  const place = () => `draft:${name()}`;

  /** Begin with what the server has; an unsaved draft from earlier goes before it. What is known already changes nothing. */
  function begin(found: T): void {
    if (current.value && JSON.stringify(found) === saved.value) return;
    saved.value = JSON.stringify(found);
    const kept = localStorage.getItem(place());
    restored.value = kept !== null && kept !== saved.value;
    last = restored.value && kept ? kept : saved.value;
    current.value = JSON.parse(last) as T;
    past.value = [];
    future.value = [];
  }

  watch(text, (now) => {
    if (!now || now === last) return;
    const soon = Date.now() - changedAt < TOGETHER_MS;
    if (!(soon && past.value.length && isOneStep(last, now))) past.value = [...past.value.slice(-99), last];
    changedAt = Date.now();
    future.value = [];
    last = now;
    if (now === saved.value) localStorage.removeItem(place());
    else localStorage.setItem(place(), now);
  });

  function show(state: string): void {
    last = state;
    current.value = JSON.parse(state) as T;
    if (state === saved.value) localStorage.removeItem(place());
    else localStorage.setItem(place(), state);
  }
  function undo(): void {
    const before = past.value.at(-1);
    if (before === undefined) return;
    past.value = past.value.slice(0, -1);
    future.value = [...future.value, last];
    show(before);
  }
  function redo(): void {
    const after = future.value.at(-1);
    if (after === undefined) return;
    future.value = future.value.slice(0, -1);
    past.value = [...past.value, last];
    show(after);
  }
  /** Forget what was changed and show what is saved. */
  function discard(): void {
    past.value = [...past.value, last];
    show(saved.value);
    restored.value = false;
  }
  /** A copy to send off: what is typed while the answer is on its way is not in it. */
  const copy = (): T => JSON.parse(text.value) as T;
  /** What was sent is saved now; whatever was changed since is still to be saved. */
  function settle(sent: T): void {
    saved.value = JSON.stringify(sent);
    restored.value = false;
    if (text.value === saved.value) localStorage.removeItem(place());
  }

  onBeforeRouteLeave(async (to, from) => {
    // What lies below this place, such as a rehearsal, takes the draft along.
    if (!changed.value || to.path.startsWith(`${from.path}/`)) return true;
    const leave = await notice.ask("Leave without saving?", "Your changes stay in this browser until you come back to them.", "Leave");
    return leave;
  });

  return { current, changed, restored, begin, undo, redo, discard, copy, settle, canUndo: computed(() => past.value.length > 0), canRedo: computed(() => future.value.length > 0) };
}
