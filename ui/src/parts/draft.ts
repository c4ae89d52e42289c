import { computed, ref, watch } from "vue";
import { onBeforeRouteLeave } from "vue-router";

import { BASE } from "../api/base";
import { Refusal } from "../api/client";
import { useNotice } from "./notice";

/** How soon one change must follow another to be a part of it. */
const TOGETHER_MS = 800;

/** Something as the server has it, and which edition of it that is. */
export interface Edition<T> {
  body: T;
  edition: string;
}
/** What lies in this browser: what was typed, and what it was typed over. */
interface Kept {
  now: string;
  saved: string;
  edition: string;
  /** When the page was loaded in which it was typed: coming back to it there needs no word. */
  page: number;
}

export const placeOf = (name: string) => `${BASE}draft:${name}`;
/** Whether something has changes in this browser that are not saved. */
export const hasDraft = (name: string) => localStorage.getItem(placeOf(name)) !== null;

function keptAt(place: string): Kept | null {
  try {
    const found = JSON.parse(localStorage.getItem(place) ?? "null") as Kept | null;
    return found && typeof found.now === "string" ? found : null;
  } catch {
    return null;
  }
}

/** Something as it lies in this browser, changed and not saved; null when it does not. */
export function draftOf<T>(name: string): T | null {
  const kept = keptAt(placeOf(name));
  return kept ? (JSON.parse(kept.now) as T) : null;
}

/**
 * Something being edited: kept in this browser at every change, so that neither
 * leaving nor a reload loses it, with steps back and forward. `isOneStep` says
 * which changes, each right after the one before, are undone together. A save
 * names the edition it began from; when there is a newer one, `clash` holds it
 * until the owner has chosen what stays.
 */
export function useDraft<T extends object>(
  name: () => string,
  isOneStep: (before: string, after: string) => boolean = () => false,
) {
  const saved = ref("");
  const edition = ref("");
  const current = ref<T | null>(null);
  const past = ref<string[]>([]);
  const future = ref<string[]>([]);
  const restored = ref(false);
  const clash = ref<Edition<T> | null>(null);
  const notice = useNotice();
  let last = "";
  let changedAt = 0;
  let begunAs = "";
  let newest = { text: "", edition: "" };

  const text = computed(() => (current.value ? JSON.stringify(current.value) : ""));
  const changed = computed(() => current.value !== null && text.value !== saved.value);
  const place = () => placeOf(begunAs || name());

  /**
   * What the server has. The first time it is begun with, unless an unsaved draft from earlier goes before it; later
   * it takes the place of what is shown only where nothing has been changed.
   */
  function begin(found: T, from = ""): void {
    const fresh = JSON.stringify(found);
    newest = { text: fresh, edition: from };
    if (current.value && begunAs === name() && (changed.value || fresh === saved.value)) {
      if (fresh === saved.value) edition.value = from;
      return;
    }
    begunAs = name();
    const kept = keptAt(place());
    const goesOn = kept !== null && kept.now !== fresh;
    restored.value = goesOn && kept.page !== performance.timeOrigin;
    saved.value = goesOn && kept.saved ? kept.saved : fresh;
    edition.value = goesOn ? kept.edition : from;
    last = goesOn ? kept.now : fresh;
    current.value = JSON.parse(last) as T;
    clash.value = null;
    past.value = [];
    future.value = [];
  }

  function keep(now: string): void {
    if (now === saved.value) localStorage.removeItem(place());
    else
      localStorage.setItem(
        place(),
        JSON.stringify({
          now,
          saved: saved.value,
          edition: edition.value,
          page: performance.timeOrigin,
        } satisfies Kept),
      );
  }

  // Something else is shown from now on; what was typed here lies in this browser.
  watch(name, () => (current.value = null), { flush: "sync" });

  watch(text, (now) => {
    if (!now || now === last || begunAs !== name()) return;
    const soon = Date.now() - changedAt < TOGETHER_MS;
    if (!(soon && past.value.length && isOneStep(last, now))) past.value = [...past.value.slice(-99), last];
    changedAt = Date.now();
    future.value = [];
    last = now;
    keep(now);
  });

  function show(state: string): void {
    last = state;
    current.value = JSON.parse(state) as T;
    keep(state);
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
    saved.value = newest.text;
    edition.value = newest.edition;
    show(saved.value);
    restored.value = false;
  }
  /** A copy to send off: what is typed while the answer is on its way is not in it. */
  const copy = (): T => JSON.parse(text.value) as T;
  /** What was sent is saved now; whatever was changed since is still to be saved. */
  function settle(sent: T, now = ""): void {
    saved.value = JSON.stringify(sent);
    edition.value = now;
    newest = { text: saved.value, edition: now };
    restored.value = false;
    keep(text.value);
  }
  /** A save was refused: over a newer edition both are shown, anything else is said. */
  async function refused(error: unknown, read: () => Promise<Edition<T>>): Promise<void> {
    if (error instanceof Refusal && error.status === 412) clash.value = await read();
    else notice.refused(error);
  }
  /** Go on from the newer edition with what the owner chose of both. */
  function resolve(chosen: T): void {
    if (!clash.value) return;
    saved.value = JSON.stringify(clash.value.body);
    edition.value = clash.value.edition;
    clash.value = null;
    past.value = [...past.value, last];
    show(JSON.stringify(chosen));
  }
  const base = computed(() => (saved.value ? (JSON.parse(saved.value) as T) : null));

  onBeforeRouteLeave((to, from) => {
    // What lies below this place, such as a rehearsal, takes the draft along.
    const below = to.path.startsWith(`${from.path}/`);
    if (changed.value && !below) notice.done("Not saved yet. Your changes wait here, in this browser.");
    return true;
  });

  return {
    current,
    changed,
    restored,
    edition,
    clash,
    base,
    begin,
    undo,
    redo,
    discard,
    copy,
    settle,
    refused,
    resolve,
    canUndo: computed(() => past.value.length > 0),
    canRedo: computed(() => future.value.length > 0),
  };
}
