import { useQuery, useQueryClient } from "@tanstack/vue-query";
import { watch } from "vue";

import { api, type Api, data } from "../api/client";

type Clock = Api["ClockOut"] | undefined;
const MOVING = 250;
const PRACTICE = 2_000;
const REAL = 4_000;

/** How long until the frame is asked for again, in milliseconds. */
function pace(clock: Clock): number {
  if (clock?.moving) return MOVING;
  return clock?.practice ? PRACTICE : REAL;
}

/** The numbers in the menu and the school clock; asked for once, unless a pace is given. */
export function useFrame(again: (clock: Clock) => number | false = () => false) {
  return useQuery({
    queryKey: ["frame"],
    queryFn: () => data(api.GET("/api/frame")),
    refetchInterval: (found) => again(found.state.data?.clock),
  });
}

/** The frame, asked for again and again; when something has changed, whatever is shown is asked for anew.
 *
 * Called once, by what stands round every place. */
export function useChanges() {
  const client = useQueryClient();
  const query = useFrame(pace);
  watch(
    () => query.data.value?.version,
    (now, before) => {
      if (now && before && now !== before)
        void client.invalidateQueries({ predicate: (one) => one.queryKey[0] !== "frame" });
    },
  );
  return query;
}
