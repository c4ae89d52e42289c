<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import { computed, ref } from "vue";

import { api, data } from "../api/client";

/** Before a changed letter is saved: whom it reaches next, and when. */
const props = defineProps<{ id: string }>();
const open = ref(false);
const { data: next } = useQuery({
  queryKey: ["letter-next", computed(() => props.id)],
  queryFn: () => data(api.GET("/api/letters/{key}/next", { params: { path: { key: props.id } } })),
  staleTime: 60_000,
});
const first = computed(() => next.value?.first[0]);
</script>

<template>
  <div v-if="next && (next.total || next.inside || next.broadcasts.length || next.waiting)" class="next" role="status">
    <template v-if="first"
      >Once saved, this text reaches <b>{{ next.total }} {{ next.total === 1 ? "student" : "students" }}</b> in the next
      {{ next.days }} days, first <bdi>{{ first.name }}</bdi> on <span class="postmark">{{ first.at }}</span>.
      <button class="link" :aria-expanded="open" @click="open = !open">
        {{ open ? "Fewer" : "Who and when" }}
      </button></template
    >
    <template v-else-if="next.inside"
      >{{ next.inside }} {{ next.inside === 1 ? "student is" : "students are" }} in a sequence that posts this letter;
      in the next {{ next.days }} days it is nobody's turn unless they do something.</template
    >
    <template v-if="next.waiting">
      {{ next.waiting }} {{ next.waiting === 1 ? "letter that waits" : "letters that wait" }} to be handed over
      {{ next.waiting === 1 ? "goes" : "go" }} out with this text.</template
    >
    <template v-if="next.broadcasts.length"> It also goes out with {{ next.broadcasts.join(", ") }}.</template>
    <span v-if="next.cut_short" class="soft"> (looked at for 500 of the {{ next.inside }} inside)</span>
    <ul v-if="open">
      <li v-for="one in next.first" :key="one.student + one.at">
        <span class="postmark">{{ one.at }}</span>{{ " "
        }}<RouterLink :to="`/students/${one.student}`"
          ><bdi>{{ one.name }}</bdi></RouterLink
        >{{ " " }}<span class="soft">{{ one.where }}</span>
      </li>
      <li v-if="next.total > next.first.length" class="soft">and {{ next.total - next.first.length }} more</li>
    </ul>
  </div>
</template>

<style scoped>
.next {
  background: var(--act-bg);
  padding: 7px 22px;
}
ul {
  margin: 6px 0 2px;
  padding-left: 18px;
}
.link {
  padding: 0 0 0 4px;
}
</style>
