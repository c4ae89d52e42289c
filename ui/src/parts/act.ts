import { useMutation, useQueryClient } from "@tanstack/vue-query";

import { useNotice } from "./notice";

interface Then<Out, What> {
  /** What follows when it is done: what is said, closed, gone to. */
  done?: (out: Out, what: What) => unknown;
  /** Which questions are asked anew, by their first word; all of them unless named, since most acts change much. */
  refreshes?: readonly string[];
}

/** An act of the owner: asked of the school, which may refuse it; a refusal is always said. */
export function useAct<Out, What = void>(ask: (what: What) => Promise<Out>, then: Then<Out, What> = {}) {
  const client = useQueryClient();
  const notice = useNotice();
  return useMutation<Out, Error, What>({
    mutationFn: ask,
    onSuccess: (out, what) => {
      const after = then.done?.(out, what);
      if (!then.refreshes) void client.invalidateQueries();
      for (const word of then.refreshes ?? []) void client.invalidateQueries({ queryKey: [word] });
      return after;
    },
    onError: (error) => notice.refused(error),
  });
}
