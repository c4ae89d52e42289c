<script setup lang="ts">
import { Document } from "@tiptap/extension-document";
import { Image } from "@tiptap/extension-image";
import { Paragraph } from "@tiptap/extension-paragraph";
import { Text } from "@tiptap/extension-text";
import { TextAlign } from "@tiptap/extension-text-align";
import StarterKit from "@tiptap/starter-kit";
import { EditorContent, useEditor } from "@tiptap/vue-3";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import Popover from "ant-design-vue/es/popover";
import { computed, ref, watch } from "vue";

import type { Api } from "../api/client";
import PicturePick from "../parts/PicturePick.vue";
import { fieldLabel, readField, writeField } from "./field-words";
import FieldMenu from "./FieldMenu.vue";
import { fromChips, htmlToLine, lineToHtml, MergeField, toChips } from "./merge-field";

const text = defineModel<string>({ required: true });
const props = defineProps<{ label: string; lines?: boolean; fields: Api["MergeFieldOut"][] }>();
const address = ref("");
const linking = ref(false);
const picturing = ref(false);
const inText = ref<{ src: string | null; alt: string }>({ src: null, alt: "" });
const picked = ref<{ at: number; field: string } | null>(null);

const read = (value: string) => (props.lines ? toChips(value) : lineToHtml(value));
const write = (html: string) => (props.lines ? fromChips(html) : htmlToLine(html));

const editor = useEditor({
  content: read(text.value),
  extensions: props.lines
    ? [
        StarterKit.configure({
          heading: { levels: [2, 3] },
          code: false,
          codeBlock: false,
          strike: false,
          undoRedo: false,
          link: { openOnClick: false, HTMLAttributes: { rel: null, target: null } },
        }),
        Image.configure({ inline: true }),
        TextAlign.configure({ types: ["heading", "paragraph"], alignments: ["left", "center", "right"] }),
        MergeField,
      ]
    : [Document.extend({ content: "paragraph" }), Paragraph, Text, MergeField],
  editorProps: {
    attributes: {
      class: props.lines ? "text" : "one-line",
      role: "textbox",
      "aria-label": props.label,
      "aria-multiline": String(Boolean(props.lines)),
    },
    handleClickOn: (_view, _pos, node, at) => {
      if (node.type.name === "mergeField") picked.value = { at, field: node.attrs.field as string };
      return node.type.name === "mergeField";
    },
    handleClick: () => {
      picked.value = null;
      return false;
    },
    handlePaste: (view, event) => {
      if (props.lines) return false;
      view.dispatch(view.state.tr.insertText((event.clipboardData?.getData("text/plain") ?? "").replace(/\s+/g, " ")));
      return true;
    },
  },
  onUpdate: ({ editor: now }) => {
    text.value = write(now.getHTML());
  },
});
// Changed from outside: undone, or another letter.
watch(text, (now) => {
  if (editor.value && now !== write(editor.value.getHTML()))
    editor.value.commands.setContent(read(now), { emitUpdate: false });
});

/** Put a merge field in; where some students have no value for it, its fallback is asked for. */
function insert(found: Api["MergeFieldOut"]): void {
  // Where it stands first, something has to stand there; elsewhere the owner says whether.
  const first = (editor.value?.state.selection.from ?? 1) <= 1;
  const fallback = first && found.name === "student.first_name" ? "Hello" : null;
  const field = writeField({ name: found.name, fallback, filters: "" });
  editor.value?.chain().focus().insertContent({ type: "mergeField", attrs: { field } }).run();
  const at = (editor.value?.state.selection.from ?? 1) - 1;
  if (found.lacking && fallback === null) picked.value = { at, field };
}
const lacking = computed(() => props.fields.find((one) => one.name === chip.value?.name)?.lacking ?? 0);
function openPicture(open: boolean): void {
  picturing.value = open;
  if (open)
    inText.value = {
      src: null,
      alt: "",
      ...(editor.value?.isActive("image") ? editor.value.getAttributes("image") : {}),
    };
}
function setPicture(): void {
  if (inText.value.src) editor.value?.chain().focus().setImage({ src: inText.value.src, alt: inText.value.alt }).run();
  picturing.value = false;
}
const STYLES = [
  { key: "paragraph", name: "Text" },
  { key: "2", name: "Heading" },
  { key: "3", name: "Small heading" },
  { key: "quote", name: "Quotation" },
];
const styleNow = computed(() => {
  const now = editor.value;
  return now?.isActive("blockquote")
    ? "Quotation"
    : now?.isActive("heading", { level: 2 })
      ? "Heading"
      : now?.isActive("heading", { level: 3 })
        ? "Small heading"
        : "Text";
});
function setStyle(key: string): void {
  const chain = editor.value?.chain().focus();
  if (!chain) return;
  if (editor.value?.isActive("blockquote") !== (key === "quote")) chain.toggleBlockquote();
  if (key === "2" || key === "3") chain.setHeading({ level: key === "2" ? 2 : 3 });
  else chain.setParagraph();
  chain.run();
}
const chip = computed(() => (picked.value ? readField(picked.value.field) : null));
function setFallback(fallback: string | null): void {
  if (!picked.value || !chip.value) return;
  const field = writeField({ ...chip.value, fallback });
  editor.value?.commands.command(({ tr }) => Boolean(tr.setNodeAttribute(picked.value!.at, "field", field)));
  picked.value = { ...picked.value, field };
}
function removeChip(): void {
  if (picked.value)
    editor.value
      ?.chain()
      .focus()
      .deleteRange({ from: picked.value.at, to: picked.value.at + 1 })
      .run();
  picked.value = null;
}
function openLink(open: boolean): void {
  linking.value = open;
  if (open) address.value = String(editor.value?.getAttributes("link").href ?? "https://");
}
function setLink(): void {
  const chain = editor.value?.chain().focus().extendMarkRange("link");
  if (address.value.trim() === "" || address.value.trim() === "https://") chain?.unsetLink().run();
  else chain?.setLink({ href: address.value.trim() }).run();
  linking.value = false;
}
</script>

<template>
  <div class="field-text" :class="{ lines }">
    <div class="bar" role="toolbar" :aria-label="`For ${label}`">
      <template v-if="lines && editor">
        <Button
          size="small"
          type="text"
          :class="{ on: editor.isActive('bold') }"
          aria-label="Bold"
          @click="editor.chain().focus().toggleBold().run()"
          ><b>B</b></Button
        >
        <Button
          size="small"
          type="text"
          :class="{ on: editor.isActive('italic') }"
          aria-label="Italic"
          @click="editor.chain().focus().toggleItalic().run()"
          ><i>I</i></Button
        >
        <Dropdown :trigger="['click']"
          ><Button size="small" type="text">{{ styleNow }} ▾</Button
          ><template #overlay
            ><Menu @click="({ key }) => setStyle(String(key))"
              ><Menu.Item v-for="one in STYLES" :key="one.key">{{ one.name }}</Menu.Item></Menu
            ></template
          ></Dropdown
        >
        <Button
          size="small"
          type="text"
          :class="{ on: editor.isActive('bulletList') }"
          @click="editor.chain().focus().toggleBulletList().run()"
          >List</Button
        >
        <Button
          size="small"
          type="text"
          :class="{ on: editor.isActive('orderedList') }"
          @click="editor.chain().focus().toggleOrderedList().run()"
          >1. 2. 3.</Button
        >
        <Dropdown :trigger="['click']"
          ><Button size="small" type="text">Align ▾</Button
          ><template #overlay
            ><Menu @click="({ key }) => editor?.chain().focus().setTextAlign(String(key)).run()"
              ><Menu.Item key="left">Left</Menu.Item><Menu.Item key="center">Centre</Menu.Item
              ><Menu.Item key="right">Right</Menu.Item></Menu
            ></template
          ></Dropdown
        >
        <Popover
          :open="linking"
          trigger="click"
          title="Where does the link go? Leave empty to remove it."
          @open-change="openLink"
        >
          <Button size="small" type="text" :class="{ on: editor.isActive('link') }">Link</Button>
          <template #content
            ><form class="link-form" @submit.prevent="setLink">
              <Input v-model:value="address" aria-label="Address" /><Button html-type="submit" type="primary"
                >Set</Button
              >
            </form></template
          >
        </Popover>
        <Popover :open="picturing" trigger="click" title="A picture in the text" @open-change="openPicture">
          <Button size="small" type="text" :class="{ on: editor.isActive('image') }">Picture</Button>
          <template #content
            ><form class="picture-form" @submit.prevent="setPicture">
              <PicturePick v-model="inText.src" label="picture in the text" small /><Input
                v-model:value="inText.alt"
                aria-label="What the picture shows"
                placeholder="what it shows, in words"
              /><Button html-type="submit" type="primary" :disabled="!inText.src || !inText.alt.trim()"
                >Put it in</Button
              >
            </form></template
          >
        </Popover>
      </template>
      <FieldMenu :fields="fields" :label="label" @pick="insert" />
    </div>
    <EditorContent :editor="editor" class="content" />
    <div v-if="chip" class="chip-bar">
      <span class="chip">{{ fieldLabel(chip.name) }}</span>
      <span v-if="lacking" class="lacking">▲ {{ lacking }} of your students have none</span
      ><label class="label"
        >if empty, write
        <Input
          size="small"
          :value="chip.fallback ?? ''"
          placeholder="nothing: the letter waits for you"
          style="width: 220px"
          @input="(e: Event) => setFallback((e.target as HTMLInputElement).value || null)"
      /></label>
      <Button size="small" @click="removeChip">Remove</Button
      ><Button size="small" type="text" @click="picked = null">Done</Button>
    </div>
  </div>
</template>

<style scoped>
.field-text {
  border: 1px solid var(--rule);
  border-radius: 6px;
  background: var(--sheet);
  position: relative;
}
.field-text:focus-within {
  border-color: var(--act);
}
.field-text:has(.ProseMirror:focus-visible) {
  outline: 2px solid var(--act);
  outline-offset: 1px;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
  padding: 3px 4px;
  border-bottom: 1px solid var(--rule2);
}
.field-text:not(.lines) {
  display: flex;
  align-items: center;
}
.field-text:not(.lines) .bar {
  order: 2;
  border: 0;
}
.field-text:not(.lines) .content {
  flex: 1;
  min-width: 0;
}
.on {
  background: var(--act-bg);
}
.content :deep(.ProseMirror) {
  outline: none;
}
.content :deep(.one-line) {
  padding: 6px 10px;
  overflow-wrap: anywhere;
}
.content :deep(p) {
  margin: 0;
}
.content :deep(.text) {
  padding: 12px 16px;
  min-height: 90px;
  font: 16px/1.55 var(--letter);
}
.content :deep(.text p) {
  margin: 0 0 12px;
}
.content :deep(.text h2) {
  font: 600 19px/1.4 var(--letter);
  margin: 6px 0;
}
.content :deep(.chip) {
  cursor: pointer;
  color: var(--act);
}
.content :deep(.ProseMirror-selectednode) {
  outline: 2px solid var(--act);
}
.chip-bar {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  padding: 6px 10px;
  background: var(--sheet2);
  border-top: 1px solid var(--rule2);
  width: 100%;
}
.field-text:not(.lines) {
  flex-wrap: wrap;
}
.chip-bar {
  order: 3;
}
.lacking {
  color: var(--warn);
  font-size: 12.5px;
}
.picture-form {
  display: flex;
  flex-direction: column;
  gap: 8px;
  width: 340px;
}
.content :deep(img) {
  max-width: 100%;
  height: auto;
}
.content :deep(h3) {
  font: 600 16.5px/1.4 var(--letter);
  margin: 6px 0;
}
.content :deep(blockquote) {
  border-left: 3px solid var(--rule);
  margin: 0 0 12px;
  padding-left: 14px;
  color: var(--soft);
}
.link-form {
  display: flex;
  gap: 8px;
  width: 340px;
}
</style>
