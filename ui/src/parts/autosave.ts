import { computed, onBeforeUnmount, ref, watch } from "vue";
import { onBeforeRouteLeave } from "vue-router";

import { BASE } from "../api/base";
import { Refusal } from "../api/client";
import type { Edition } from "./draft";

/**
 * Something that is saved as one types. What the server does not take yet stays
 * in this browser, so that neither leaving nor a reload loses it. `save` names the edition that was begun from and
 * gives the one it made; when another window was quicker, `clash` holds what is there until the owner has chosen.
 */
export function useAutosave<T extends object>(
  name: () => string,
  save: (body: T, edition: string) => Promise<string>,
  read: () => Promise<Edition<T>>,
) {
  const current = ref<T | null>(null);
  const saved = ref("");
  const saving = ref(false);
  const refused = ref("");
  const edition = ref("");
  const clash = ref<Edition<T> | null>(null);
  const text = computed(() => (current.value ? JSON.stringify(current.value) : ""));
  const changed = computed(() => current.value !== null && text.value !== saved.value);
  const place = () => `${BASE}unsaved:${name()}`;
  let timer = 0;
  let under: Promise<void> | null = null;

  function begin(found: T, from = ""): void {
    const fresh = JSON.stringify(found);
    // While a save is on its way, what is shown may be what was saved before it: it is not thrown away for the answer.
    if (current.value && (under || changed.value || fresh === saved.value)) {
      if (fresh === saved.value) edition.value = from;
      return;
    }
    saved.value = fresh;
    edition.value = from;
    const kept = localStorage.getItem(place());
    current.value = JSON.parse(kept ?? saved.value) as T;
  }

  function later(): void {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void flush(), 350);
  }

  /** Save what there is now; one save at a time, the last one last. */
  async function flush(): Promise<void> {
    window.clearTimeout(timer);
    while (under) await under;
    if (!changed.value || clash.value) return;
    const sent = text.value;
    saving.value = true;
    under = save(JSON.parse(sent) as T, edition.value)
      .then((now) => {
        saved.value = sent;
        edition.value = now;
        refused.value = "";
        if (text.value === sent) localStorage.removeItem(place());
      })
      .catch(async (error: unknown) => {
        if (error instanceof Refusal && error.status === 412) clash.value = await read().catch(() => null);
        refused.value = error instanceof Error ? error.message : String(error);
      })
      .finally(() => {
        saving.value = false;
        under = null;
        // Changed back to what was saved before: nothing else would save it again.
        if (changed.value && !refused.value) later();
      });
    await under;
  }
  watch(text, (now) => {
    window.clearTimeout(timer);
    if (!now) return;
    if (now === saved.value && !under) {
      refused.value = "";
      localStorage.removeItem(place());
      return;
    }
    localStorage.setItem(place(), now);
    later();
  });
  /** Go on from what the other window has saved, with what the owner chose of both. */
  function resolve(chosen: T): void {
    if (!clash.value) return;
    saved.value = JSON.stringify(clash.value.body);
    edition.value = clash.value.edition;
    clash.value = null;
    refused.value = "";
    current.value = chosen;
  }
  const base = computed(() => (saved.value ? (JSON.parse(saved.value) as T) : null));
  onBeforeRouteLeave(async () => {
    await flush();
    return true;
  });
  onBeforeUnmount(() => window.clearTimeout(timer));
  return { current, saved, saving, refused, changed, clash, base, begin, flush, resolve };
}
