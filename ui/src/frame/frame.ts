import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { watch } from "vue";

import { api, data } from "../api/client";

/** The numbers in the menu and the school clock; asked for often while a practice clock is moving. */
export function useFrame() {
  const client = useQueryClient();
  const query = useQuery({
    queryKey: ["frame"],
    queryFn: () => data(api.GET("/api/frame")),
    refetchInterval: (found) => (found.state.data?.clock.moving ? 250 : 15_000),
  });
  // When time has moved on, everything on screen may have changed.
  watch(
    () => query.data.value?.clock.now,
    (now, before) => {
      if (before && now !== before) void client.invalidateQueries();
    },
  );
  return query;
}
