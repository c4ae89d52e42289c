<script setup lang="ts">
import InputNumber from "ant-design-vue/es/input-number";
import Select from "ant-design-vue/es/select";
import { computed, ref } from "vue";

import { lettersOf, type Posts, withoutVersion, withShare, withVersion } from "./posted";

/** Which letter goes out, or two to four of which each student gets one by lot. */
const props = defineProps<{ posts: Posts; options: { value: string; label: string }[]; readonly?: boolean }>();
const emit = defineEmits<{ change: [posts: Posts] }>();
const MOST = 4;
const adding = ref(false);
const keys = computed(() => lettersOf(props.posts));
const others = computed(() => props.options.filter((one) => !keys.value.includes(one.value)));
const sum = computed(() => (props.posts.versions ?? []).reduce((all, one) => all + one.share, 0));

function swap(index: number, letter: string): void {
  const versions = (props.posts.versions ?? []).map((one, at) => (at === index ? { ...one, letter } : one));
  emit("change", props.posts.versions ? { letter: null, versions } : { letter, versions: null });
}
function add(letter: string): void {
  adding.value = false;
  emit("change", withVersion(props.posts, letter));
}
</script>

<template>
  <div class="versions">
    <template v-if="posts.versions">
      <div v-for="(one, index) in posts.versions" :key="one.letter" class="one">
        <InputNumber
          :value="one.share"
          :min="1"
          :max="99"
          :disabled="readonly"
          :aria-label="`Share of letter ${index + 1}, in percent`"
          class="share"
          addon-after="%"
          @change="(share) => emit('change', withShare(posts, index, Math.round(Number(share ?? 1))))"
        />
        <Select
          v-named="`Letter ${index + 1}`"
          :value="one.letter"
          :options="options"
          :disabled="readonly"
          show-search
          option-filter-prop="label"
          class="grow"
          @change="(key) => swap(index, String(key))"
        />
        <button v-if="!readonly" class="link" @click="emit('change', withoutVersion(posts, index))">Take out</button>
      </div>
      <p class="soft">
        Each student gets one of them, by lot, and always the same one.<b v-if="sum !== 100" class="warn" role="alert">
          The shares add up to {{ sum }}; together they are 100.</b
        >
      </p>
    </template>
    <Select
      v-else
      v-named="'Which letter'"
      :value="posts.letter || undefined"
      :options="options"
      :disabled="readonly"
      show-search
      option-filter-prop="label"
      placeholder="Choose a letter"
      class="grow"
      @change="(key) => swap(0, String(key))"
    />
    <Select
      v-if="adding"
      v-named="'Another letter'"
      :options="others"
      show-search
      option-filter-prop="label"
      placeholder="Which letter beside it?"
      class="grow"
      @change="(key) => add(String(key))"
    />
    <button
      v-else-if="!readonly && keys.length && keys.length < MOST && others.length"
      class="link another"
      @click="adding = true"
    >
      Try another letter beside it
    </button>
  </div>
</template>

<style scoped>
.versions {
  display: flex;
  flex-direction: column;
  gap: 6px;
  width: 100%;
}
.one {
  display: flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
}
.share {
  width: 92px;
}
.grow {
  flex: 1;
  min-width: 150px;
}
.another {
  align-self: flex-start;
  font-size: 13px;
}
p {
  margin: 0;
  font-size: 13px;
}
</style>
