import { computed, onBeforeUnmount, ref, watch } from "vue";
import { onBeforeRouteLeave } from "vue-router";

/**
 * Something that is saved as one types. What the server does not take yet stays
 * in this browser, so that neither leaving nor a reload loses it.
 */
export function useAutosave<T extends object>(name: () => string, save: (body: T) => Promise<unknown>) {
  const current = ref<T | null>(null);
  const saved = ref("");
  const saving = ref(false);
  const refused = ref("");
  const text = computed(() => (current.value ? JSON.stringify(current.value) : ""));
  const changed = computed(() => current.value !== null && text.value !== saved.value);
  const place = () => `unsaved:${name()}`;
  let timer = 0;
  let under: Promise<void> | null = null;

  function begin(found: T): void {
    if (current.value && (changed.value || JSON.stringify(found) === saved.value)) return;
    saved.value = JSON.stringify(found);
    const kept = localStorage.getItem(place());
    current.value = JSON.parse(kept ?? saved.value) as T;
  }

  /** Save what there is now; one save at a time, the last one last. */
  async function flush(): Promise<void> {
    window.clearTimeout(timer);
    if (under) await under;
    if (!changed.value) return;
    const sent = text.value;
    saving.value = true;
    under = save(JSON.parse(sent) as T)
      .then(() => {
        saved.value = sent;
        refused.value = "";
        if (text.value === sent) localStorage.removeItem(place());
      })
      .catch((error: unknown) => {
        refused.value = error instanceof Error ? error.message : String(error);
      })
      .finally(() => {
        saving.value = false;
        under = null;
      });
    await under;
  }
  watch(text, (now) => {
    window.clearTimeout(timer);
    if (!now) return;
    if (now === saved.value) {
      refused.value = "";
      localStorage.removeItem(place());
      return;
    }
    localStorage.setItem(place(), now);
    timer = window.setTimeout(() => void flush(), 350);
  });
  onBeforeRouteLeave(async () => {
    await flush();
    return true;
  });
  onBeforeUnmount(() => window.clearTimeout(timer));
  return { current, saved, saving, refused, changed, begin, flush };
}
