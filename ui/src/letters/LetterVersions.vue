<script setup lang="ts">
import { useQuery, useQueryClient } from "@tanstack/vue-query";
import Button from "ant-design-vue/es/button";
import { computed } from "vue";
import { useRouter } from "vue-router";

import { api, begunFrom, data, Refusal } from "../api/client";
import { useAct } from "../parts/act";
import EmptyState from "../parts/EmptyState.vue";
import { useNotice } from "../parts/notice";
import PageHead from "../parts/PageHead.vue";
import LetterTabs from "./LetterTabs.vue";

/** What each version changed, word by word, and the way back to it. */
const props = defineProps<{ id: string }>();
const client = useQueryClient();
const router = useRouter();
const notice = useNotice();
const path = computed(() => ({ params: { path: { key: props.id } } }));
const { data: versions, error } = useQuery({
  queryKey: ["letter-versions", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/letters/{key}/versions", path.value)),
});
const name = computed(() => String(versions.value?.[0]?.body.name ?? "…"));
const back = useAct(
  async (body: Record<string, unknown>) => {
    const now = await data(api.GET("/api/letters/{key}", path.value));
    if (now.version !== versions.value?.[0]?.version) {
      void client.invalidateQueries();
      throw new Refusal(412, "A newer version was saved in another window. It stands at the top now.");
    }
    return data(
      api.PUT("/api/letters/{key}", { params: { ...path.value.params, header: begunFrom(now.edition) }, body }),
    );
  },
  {
    done: (saved) => {
      notice.done(`That text is in force again, as version ${saved.version}.`);
      void router.push(`/letters/${props.id}`);
    },
  },
);
const DID = { changed: "", added: "added", removed: "taken out", moved: "moved" } as const;
</script>

<template>
  <PageHead :title="name" :above="{ to: '/letters', name: 'Letters' }" />
  <LetterTabs :id="id" at="versions" />
  <div v-if="versions" class="room">
    <section v-for="(one, at) in versions" :key="one.version" class="sheet one">
      <header>
        <h2>Version {{ one.version }}</h2>
        <span class="soft">{{ one.saved }} · {{ one.posted }} posted</span
        ><span v-if="at === 0" class="pill running">in force</span
        ><Button v-else size="small" :loading="back.isPending.value" @click="back.mutate(one.body)"
          >Take this text again</Button
        >
      </header>
      <p v-if="one.version === 1" class="soft">The first one.</p>
      <p v-else-if="!one.changes.length" class="soft">Nothing a student would see.</p>
      <dl>
        <template v-for="(change, i) in one.changes" :key="i"
          ><dt>
            {{ change.what }} <span class="label">{{ DID[change.did] }}</span>
          </dt>
          <dd>
            <template v-for="(piece, j) in change.pieces" :key="j"
              ><ins v-if="piece.how === 'added'">{{ piece.text }}</ins
              ><del v-else-if="piece.how === 'gone'">{{ piece.text }}</del
              ><template v-else>{{ piece.text }}</template></template
            >
          </dd></template
        >
      </dl>
    </section>
  </div>
  <EmptyState v-else-if="error" title="No such letter">{{ error.message }}</EmptyState>
</template>

<style scoped>
.room {
  padding: 16px 22px 40px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  overflow: auto;
  max-width: 900px;
}
.one {
  padding: 12px 16px;
  flex: none;
}
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
  flex-wrap: wrap;
}
header .ant-btn {
  margin-left: auto;
}
dl {
  margin: 8px 0 0;
}
dt {
  font: 600 13px var(--title);
  margin-top: 8px;
}
dd {
  margin: 2px 0 0;
  font: 15px/1.6 var(--letter);
  overflow-wrap: anywhere;
  white-space: pre-wrap;
}
ins {
  background: var(--well-bg);
  text-decoration: underline;
  text-decoration-thickness: 2px;
}
del {
  background: #f8e1dd;
  color: #7d2419;
}
</style>
