import { useQueryClient } from "@tanstack/vue-query";
import { computed, onBeforeUnmount, ref } from "vue";

import { api, type Api, data } from "../api/client";
import { useNotice } from "./notice";

/** Work on many students that is under way: followed until it is over and can't be taken back any more. */
export function useBulk(onBack: () => Promise<unknown> | undefined = () => undefined) {
  const client = useQueryClient();
  const notice = useNotice();
  const work = ref<Api["BulkOut"] | null>(null);
  const going = computed(() => work.value?.state === "working");
  let timer = 0;

  async function follow(): Promise<void> {
    window.clearTimeout(timer);
    if (!work.value) return;
    try {
      work.value = await data(api.GET("/api/bulk/{id}", { params: { path: { id: work.value.id } } }));
    } catch {
      work.value = null;
      return;
    }
    if (!going.value) void client.invalidateQueries();
    if (going.value || work.value.undo > 0) timer = window.setTimeout(() => void follow(), going.value ? 500 : 1000);
  }
  function begin(now: Api["BulkOut"]): void {
    work.value = now;
    void client.invalidateQueries();
    void follow();
  }
  /** Call it off before it begins, stop it on the way, or put back what is done. */
  async function back(): Promise<void> {
    if (!work.value) return;
    try {
      work.value = await data(api.POST("/api/bulk/{id}/take-back", { params: { path: { id: work.value.id } } }));
      await onBack();
      notice.done("Taken back.");
      void client.invalidateQueries();
    } catch (error) {
      notice.refused(error);
    }
  }
  onBeforeUnmount(() => window.clearTimeout(timer));
  return { work, going, begin, back };
}
