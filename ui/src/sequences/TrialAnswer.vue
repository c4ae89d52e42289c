<script setup lang="ts">
import { computed, ref } from "vue";

import { api, type Api, data } from "../api/client";
import DifferenceLine from "../figures/DifferenceLine.vue";
import GrowingLine from "../figures/GrowingLine.vue";
import ShareBars, { type Bar } from "../figures/ShareBars.vue";
import NamesDialog from "../parts/NamesDialog.vue";

/** What a trial has come to: a sentence first, then the two groups and their difference; every number opens its names. */
const props = defineProps<{ id: string; trial: Api["SequenceTrialOut"]; status: string }>();
type Became = "open" | "reached" | "not_reached";
const SIDES = { written_to: "Written to", held_back: "Held back" } as const;
const bar = (key: keyof typeof SIDES): Bar => {
  const side = props.trial[key];
  return {
    key,
    label: SIDES[key],
    share: side.share,
    counts: [
      { what: "reached", number: side.reached, words: `of ${side.ended} got there` },
      { what: "not_reached", number: side.ended - side.reached, words: "did not" },
      { what: "open", number: side.open, words: "still open" },
    ],
  };
};
const bars = computed(() => [bar("written_to"), bar("held_back")]);
const ranges = computed(() => [
  ...(props.trial.always
    ? [{ label: "However often you look", ...props.trial.always, words: props.trial.always.words ?? "", strong: true }]
    : []),
  ...(props.trial.once
    ? [{ label: "Looked at this once only", ...props.trial.once, words: props.trial.once.words ?? "" }]
    : []),
]);
const TONE: Record<string, string> = { helps: "well", harms: "bad" };
const asked = ref<{ side: string; became: Became } | null>(null);
const TITLES: Record<Became, string> = { reached: "got there", not_reached: "did not", open: "still open" };
const waiting = computed(() => !props.trial.began);
</script>

<template>
  <section class="sheet trial" :data-testid="`trial-${trial.key}`">
    <p class="answer" :class="TONE[trial.verdict]" role="status">
      {{ waiting ? "Nobody has come in yet." : trial.answer }}
    </p>
    <p class="soft">
      {{ trial.words }}
      <template v-if="trial.began">Since {{ trial.began }}.</template>
      <template v-else-if="status !== 'running'">It begins when the sequence runs.</template>
    </p>
    <ShareBars
      caption="The share that got there, of those whose time is over, with the range it lies in"
      :bars="bars"
      @open="(side, became) => (asked = { side, became: became as Became })"
    />
    <template v-if="ranges.length">
      <h3>The difference</h3>
      <DifferenceLine :ranges="ranges" worse="worse" better="better" />
      <p class="soft small">
        <template v-if="trial.always"
          >The wide range is right at every look together in 95 of 100 trials, so you may look every day and end it when
          it says something. The narrow one is</template
        ><template v-else>This range is</template> for somebody who looks once, on a day chosen beforehand. Students
        whose time is not over count on neither side, whatever they have done already.
      </p>
      <template v-if="trial.looks.length">
        <h3>How the answer came</h3>
        <GrowingLine
          :looks="trial.looks"
          caption="The difference in points, with the range that holds at every look"
          across="days since the first student came in"
        />
      </template>
    </template>
  </section>
  <NamesDialog
    v-if="asked"
    :of="['trial', id, trial.key, asked.side, asked.became]"
    :title="
      (total) => `${SIDES[asked?.side as keyof typeof SIDES]}, ${TITLES[asked?.became ?? 'open']}: ${total ?? '…'}`
    "
    :find="
      (query) =>
        data(
          api.GET('/api/sequences/{key}/trials/{trial}/names', {
            params: {
              path: { key: id, trial: trial.key },
              query: { ...query, held_back: asked?.side === 'held_back', became: asked?.became ?? 'open' },
            },
          }),
        )
    "
    @close="asked = null"
  />
</template>

<style scoped>
.trial {
  padding: 20px 24px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
.answer {
  font: 600 22px/1.35 var(--title);
  margin: 0;
}
.answer.well {
  color: var(--well);
}
.answer.bad {
  color: var(--red);
}
p {
  margin: 0;
}
h3 {
  margin: 8px 0 0;
  font-size: 15px;
}
.small {
  font-size: 13px;
}
</style>
