import { useMutation, useQueryClient } from "@tanstack/vue-query";

import type { Edition, useDraft } from "./draft";
import { useNotice } from "./notice";

type Draft<T extends object> = Pick<
  ReturnType<typeof useDraft<T>>,
  "changed" | "edition" | "copy" | "settle" | "refused" | "resolve"
>;

/**
 * Saving a draft over the edition it began from. Over a newer one it is refused, and both are shown until the owner
 * has chosen (`read` gets the newer one); what they choose is saved at once.
 */
export function useSaving<T extends object, Out extends { edition: string }>(
  draft: Draft<T>,
  put: (body: T, edition: string) => Promise<Out>,
  read: () => Promise<Edition<T>>,
  says: (out: Out) => string,
) {
  const client = useQueryClient();
  const notice = useNotice();
  const act = useMutation({
    mutationFn: (body: T) => put(body, draft.edition.value),
    onSuccess: (now, sent) => {
      draft.settle(sent, now.edition);
      notice.done(says(now));
      void client.invalidateQueries();
    },
    onError: (error) => draft.refused(error, read),
  });
  /** Save what is there, changed or not. */
  const write = () => act.mutate(draft.copy());
  function save(): void {
    if (draft.changed.value && !act.isPending.value) write();
  }
  function choose(body: T): void {
    draft.resolve(body);
    write();
  }
  return { save, write, choose, saving: act.isPending };
}
