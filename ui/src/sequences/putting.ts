import { useMutation, useQueryClient } from "@tanstack/vue-query";
import { computed, type Ref, ref } from "vue";

import { api, type Api, begunFrom, data } from "../api/client";
import type { Sequence } from "../api/school-file";
import { useAct } from "../parts/act";
import { useBulk } from "../parts/bulk";
import type { useDraft } from "../parts/draft";
import { useNotice } from "../parts/notice";

type Status = Api["StatusChange"]["status"];
const SAID: Record<string, string> = {
  running: "It runs: students come in from now on.",
  paused: "Paused: nobody new comes in, and those inside wait where they are.",
  closed: "Closed: nobody new comes in; those inside go on to the end.",
  draft: "It is a draft again.",
};

/** Saving, running and pausing a sequence, each with its slip before and its minute after. */
export function usePutting(
  key: Ref<string>,
  draft: ReturnType<typeof useDraft<Sequence>>,
  found: Ref<Api["SequenceOut"] | undefined>,
) {
  const client = useQueryClient();
  const notice = useNotice();
  const path = () => ({ path: { key: key.value } });
  const effect = ref<Api["Effect"] | null>(null);
  const running = ref(false);
  const missing = ref<string[]>([]);
  /** What was done last and how it is undone, for a minute. */
  const minute = ref<{ done: string; undo: () => Promise<unknown> } | null>(null);
  const bulk = useBulk(() => minute.value?.undo());

  const read = async () => {
    const now = await data(api.GET("/api/sequences/{key}", { params: path() }));
    return { body: now.body as Sequence, edition: now.edition };
  };
  const put = (body: Sequence, edition: string) =>
    data(
      api.PUT("/api/sequences/{key}", {
        params: { ...path(), header: begunFrom(edition) },
        body: body,
      }),
    );

  const save = useMutation({
    mutationFn: async ({ body, move }: { body: Sequence; move: boolean }) => {
      const before = draft.base.value;
      const saved = await put(body, draft.edition.value);
      const work = move ? await data(api.POST("/api/sequences/{key}/move", { params: path() })) : null;
      return { saved, work, before };
    },
    onSuccess: ({ saved, work, before }, { body }) => {
      draft.settle(body, saved.edition);
      effect.value = null;
      missing.value = saved.missing;
      if (saved.missing.length) notice.done("Saved as it is. It can't run yet.");
      else if (found.value?.inside && before) {
        const stay = work ? "" : ` ${saved.staying} inside finish on the version they are on.`;
        minute.value = { done: `Saved as version ${saved.version}.${stay}`, undo: () => again(before) };
        if (work) bulk.begin(work);
      } else notice.done(`Saved as version ${saved.version}.`);
      client.setQueryData(
        ["sequence", key.value],
        (old: Api["SequenceOut"] | undefined) =>
          old && {
            ...old,
            body: body,
            version: saved.version,
            edition: saved.edition,
            unfinished: saved.missing.length > 0,
          },
      );
      void client.invalidateQueries();
    },
    onError: (error) => {
      effect.value = null;
      return draft.refused(error, read);
    },
  });
  /** What stood there before is in force again, as a version of its own. */
  async function again(before: Sequence): Promise<void> {
    const back = await put(before, draft.edition.value);
    draft.begin(before, back.edition);
    await client.invalidateQueries();
  }
  /** Save, with the slip first where somebody is inside. */
  const askEffect = useAct(
    (body: Sequence) => data(api.POST("/api/sequences/{key}/effect", { params: path(), body: body })),
    { done: (now, body) => (now.inside ? (effect.value = now) : save.mutate({ body, move: false })), refreshes: [] },
  );

  const setStatus = useAct(
    (body: Api["StatusChange"]) => data(api.POST("/api/sequences/{key}/status", { params: path(), body })),
    {
      done: (now, asked) => {
        const before = found.value?.status as Status;
        running.value = false;
        if (asked.status !== "running") notice.done(SAID[now.status] ?? "");
        else {
          const done = before === "running" ? "Taking them in:" : (SAID.running as string);
          minute.value = { done, undo: () => (before === "running" ? Promise.resolve() : unrun(before)) };
          if (now.taking_in) bulk.begin(now.taking_in);
          else bulk.work.value = null;
        }
      },
    },
  );
  /** As it was before it ran; where somebody has come in meanwhile it can only be paused. */
  const unrun = (before: Status) =>
    data(api.POST("/api/sequences/{key}/status", { params: path(), body: { status: before } })).catch(() =>
      data(api.POST("/api/sequences/{key}/status", { params: path(), body: { status: "paused" } })),
    );

  async function takeBack(): Promise<void> {
    if (bulk.going.value) await bulk.back();
    else {
      try {
        await minute.value?.undo();
        notice.done("Taken back.");
      } catch (error) {
        notice.refused(error);
      }
      void client.invalidateQueries();
    }
    minute.value = null;
  }
  const busy = computed(() => save.isPending.value || askEffect.isPending.value);
  return {
    save,
    askEffect,
    effect,
    setStatus,
    running,
    missing,
    minute,
    work: bulk.work,
    moving: bulk.begin,
    takeBack,
    busy,
  };
}
