import { useQueryClient } from "@tanstack/vue-query";
import { useRouter } from "vue-router";

import { useNotice } from "./notice";

/** Throwing something away after a question; what hangs on it is said by the other side, and then it stays. */
export function useAway() {
  const client = useQueryClient();
  const router = useRouter();
  const notice = useNotice();
  return async (name: string, remove: () => Promise<unknown>, then: string): Promise<void> => {
    if (!(await notice.ask(`Throw “${name}” away?`, "It is gone for good.", "Throw away", "Keep it"))) return;
    try {
      await remove();
      notice.done(`“${name}” is gone.`);
      if (then) await router.push(then);
      void client.invalidateQueries();
    } catch (error) {
      notice.refused(error);
    }
  };
}
