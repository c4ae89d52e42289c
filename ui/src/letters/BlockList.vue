<script setup lang="ts">
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Menu from "ant-design-vue/es/menu";
import { computed, nextTick, ref } from "vue";

import type { Api } from "../api/client";
import type { Block } from "../api/school-file";
import { useNotice } from "../parts/notice";
import BlockEdit from "./BlockEdit.vue";
import { copiedBlock, copyBlock, freshBlock, freshKeys, inserted, type Kind, KINDS, moved, nameOf } from "./blocks";
import FindingLines from "../parts/FindingLines.vue";
import OnlyIf from "./OnlyIf.vue";

/** The blocks of a letter, or of one of its columns: added, moved by mouse or key, doubled, copied to another letter. */
const blocks = defineModel<Block[]>({ required: true });
const props = defineProps<{
  place: string;
  fields: Api["MergeFieldOut"][];
  findings: Api["FindingOut"][];
  hidden: string[];
  course: string | null;
  keys: string[];
  inner?: boolean;
}>();
const emit = defineEmits<{ mend: [one: Api["FindingOut"]] }>();
const notice = useNotice();
const list = ref<HTMLElement>();
const dragged = ref<number | null>(null);
const over = ref<number | null>(null);
const kinds = computed(() => KINDS.filter((one) => !props.inner || one.inner !== false));
const copied = ref(copiedBlock());
const spot = (at: number) => `/${props.place}/${at}`;
const at = (index: number) =>
  props.findings.filter(
    (one) =>
      one.pointer === spot(index) ||
      (one.pointer.startsWith(`${spot(index)}/`) && blocks.value[index]?.kind !== "columns"),
  );
const change = (index: number, block: Block) =>
  (blocks.value = blocks.value.map((one, i) => (i === index ? block : one)));

const blockAt = (index: number) => list.value?.querySelectorAll<HTMLElement>(":scope > .block")[index];
async function focus(index: number): Promise<void> {
  await nextTick();
  blockAt(index)?.focus();
}
/** The cursor stands in what was just made. The menu that closes gives the keyboard to its button at first. */
async function goInto(index: number, left = 15): Promise<void> {
  await nextTick();
  const block = blockAt(index);
  const field = block?.querySelector<HTMLElement>("[contenteditable=true], input, textarea");
  (field ?? block)?.focus();
  const there = () => field && document.activeElement === field;
  const elsewhere = () =>
    document.activeElement?.closest("[contenteditable=true], input") && !block?.contains(document.activeElement);
  if (left) window.setTimeout(() => !there() && !elsewhere() && void goInto(index, left - 1), 30);
}
function add(kind: string, index: number): void {
  if (kind === "paste") {
    const found = copiedBlock();
    if (found) put(found, index);
  } else put(freshBlock(kind as Kind), index);
}
function put(block: Block, index: number): void {
  blocks.value = inserted(blocks.value, index, freshKeys(block, [...props.keys]));
  void goInto(index);
}
function move(from: number, to: number): void {
  if (to < 0 || to >= blocks.value.length || to === from) return;
  blocks.value = moved(blocks.value, from, to);
  void focus(to);
}
function copy(index: number): void {
  const block = blocks.value[index];
  if (!block) return;
  copyBlock(block);
  notice.done(`${nameOf(block.kind)} copied. Put it into any letter with “+ Add a block”.`);
}
function drop(index: number): void {
  if (dragged.value !== null) move(dragged.value, dragged.value < index ? index - 1 : index);
  dragged.value = over.value = null;
}
function key(event: KeyboardEvent, index: number): void {
  if (!event.altKey || (event.key !== "ArrowUp" && event.key !== "ArrowDown")) return;
  event.preventDefault();
  event.stopPropagation();
  move(index, index + (event.key === "ArrowUp" ? -1 : 1));
}
</script>

<template>
  <div ref="list" class="blocks">
    <section
      v-for="(block, index) in blocks"
      :key="index"
      class="block"
      :class="{ over: over === index, off: hidden.includes(`${place}/${index}`), note: block.kind === 'note' }"
      tabindex="-1"
      :aria-label="`${nameOf(block.kind)}, block ${index + 1}`"
      @keydown="key($event, index)"
      @dragover.prevent.stop="dragged !== null && (over = index)"
      @drop.prevent.stop="drop(index)"
    >
      <header>
        <span
          class="grip"
          draggable="true"
          title="Drag to another place (or Alt with the arrow keys)"
          aria-hidden="true"
          @dragstart.stop="dragged = index"
          @dragend="dragged = over = null"
          >⠿</span
        >
        <span class="label">{{ nameOf(block.kind) }}</span><span
          v-if="hidden.includes(`${place}/${index}`)"
          class="label away"
          >not shown to this student</span
        >
        <span class="grow" />
        <Button
          size="small"
          type="text"
          :disabled="!index"
          :aria-label="`Move ${nameOf(block.kind)} up`"
          @click="move(index, index - 1)"
          >↑ Up</Button
        >
        <Button
          size="small"
          type="text"
          :disabled="index === blocks.length - 1"
          :aria-label="`Move ${nameOf(block.kind)} down`"
          @click="move(index, index + 1)"
          >↓ Down</Button
        >
        <Dropdown :trigger="['click']"
          ><Button size="small" type="text" :aria-label="`More for ${nameOf(block.kind)} ${index + 1}`">…</Button
          ><template #overlay
            ><Menu>
              <Menu.Item @click="put(block, index + 1)">Duplicate</Menu.Item
              ><Menu.Item @click="copy(index)">Copy to another letter</Menu.Item>
              <Menu.SubMenu title="Add above"
                ><Menu.Item v-for="one in kinds" :key="one.kind" @click="add(one.kind, index)">{{
                  one.name
                }}</Menu.Item></Menu.SubMenu
              >
              <Menu.Item danger @click="blocks = blocks.filter((_, i) => i !== index)">Remove</Menu.Item>
            </Menu></template
          ></Dropdown
        >
      </header>
      <OnlyIf
        v-if="block.only_if"
        :model-value="block.only_if"
        :hidden="hidden.includes(`${place}/${index}`)"
        :course="course"
        @update:model-value="(only_if) => change(index, { ...block, only_if })"
      />
      <BlockEdit
        :model-value="block"
        :number="index + 1"
        :place="`${place}/${index}`"
        :fields="fields"
        :findings="findings"
        :hidden="hidden"
        :course="course"
        :keys="keys"
        @update:model-value="(now) => change(index, now)"
        @mend="(one) => emit('mend', one)"
      />
      <FindingLines :found="at(index)" @mend="(one) => emit('mend', one)" />
      <OnlyIf
        v-if="!block.only_if && block.kind !== 'note'"
        class="later"
        :model-value="null"
        :hidden="false"
        :course="course"
        @update:model-value="(only_if) => change(index, { ...block, only_if })"
      />
    </section>
    <Dropdown :trigger="['click']" @open-change="(open: boolean) => open && (copied = copiedBlock())">
      <Button
        shape="round"
        :size="inner ? 'small' : 'middle'"
        class="more"
        @dragover.prevent="over = blocks.length"
        @drop.prevent.stop="drop(blocks.length)"
        >+ Add a block</Button
      >
      <template #overlay
        ><Menu class="kinds" @click="({ key: kind }) => add(String(kind), blocks.length)">
          <Menu.Item v-if="copied && (!inner || copied.kind !== 'columns')" key="paste"
            >Put in the {{ nameOf(copied.kind).toLowerCase() }} you copied</Menu.Item
          >
          <Menu.Item v-for="one in kinds" :key="one.kind"
            >{{ one.name }} <span class="label">{{ one.says }}</span></Menu.Item
          >
        </Menu></template
      >
    </Dropdown>
  </div>
</template>

<style scoped>
.blocks {
  display: flex;
  flex-direction: column;
  gap: 12px;
  align-items: stretch;
}
.block {
  border-radius: 6px;
  outline-offset: 4px;
}
.block.over {
  box-shadow: 0 -3px 0 var(--act);
}
.block.off {
  opacity: 0.72;
}
header {
  display: flex;
  align-items: center;
  gap: 4px;
}
.grow {
  flex: 1;
}
.grip {
  cursor: grab;
  color: var(--soft);
  padding: 0 4px;
  user-select: none;
}
.away {
  color: var(--warn);
  margin-left: 8px;
}
.more {
  align-self: flex-start;
}
.later {
  opacity: 0;
}
.block:hover .later,
.block:focus-within .later {
  opacity: 1;
}
:global(.kinds) {
  max-height: 60vh;
  overflow: auto;
}
@media (hover: none) {
  .later {
    opacity: 1;
  }
}
</style>
