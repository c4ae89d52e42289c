import { useQuery } from "@tanstack/vue-query";
import { computed, type Ref, ref, watch } from "vue";

import { api, type Api, data } from "../api/client";

/** The look ahead to a broadcast: asked for anew when its `stamp` changes, and again until everyone has been played. */
export function useLook(id: () => string, stamp: Ref<string>) {
  const settled = ref(stamp.value);
  let timer = 0;
  watch(stamp, (now) => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => (settled.value = now), 250);
  });
  const last = ref<Api["OutlookOut"]>();
  const { data: begun, isFetching } = useQuery({
    queryKey: ["outlook", computed(id), settled],
    queryFn: () => data(api.POST("/api/broadcasts/{key}/outlook", { params: { path: { key: id() } } })),
    gcTime: 0,
  });
  watch(begun, (now) => now && (last.value = now), { immediate: true });
  const { data: later } = useQuery({
    queryKey: ["outlook-of", computed(() => last.value?.id)],
    queryFn: () => data(api.GET("/api/broadcasts/outlooks/{id}", { params: { path: { id: last.value?.id ?? 0 } } })),
    enabled: computed(() => last.value?.state === "working"),
    refetchInterval: 700,
    gcTime: 0,
  });
  watch(later, (now) => now && (last.value = now));
  // What is shown while a new look is under way was true of what stood there before.
  const stale = computed(() => settled.value !== stamp.value || isFetching.value || last.value?.state === "working");
  return { look: computed(() => last.value), stale };
}

/** How far the look ahead is; before it is known how many there are, only that it has begun. */
export const looking = (look: Api["OutlookOut"] | undefined) =>
  look?.total ? `Looking ahead: ${look.done} of ${look.total} students …` : "Looking ahead …";
