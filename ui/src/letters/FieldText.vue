<script setup lang="ts">
import { Document } from "@tiptap/extension-document";
import { Paragraph } from "@tiptap/extension-paragraph";
import { Text } from "@tiptap/extension-text";
import StarterKit from "@tiptap/starter-kit";
import { UndoRedo } from "@tiptap/extensions";
import { EditorContent, useEditor } from "@tiptap/vue-3";
import Button from "ant-design-vue/es/button";
import Dropdown from "ant-design-vue/es/dropdown";
import Input from "ant-design-vue/es/input";
import Menu from "ant-design-vue/es/menu";
import Popover from "ant-design-vue/es/popover";
import { computed, ref, watch } from "vue";

import type { Api } from "../api/client";
import { fieldLabel, readField, writeField } from "./field-words";
import { fromChips, htmlToLine, lineToHtml, MergeField, toChips } from "./merge-field";

const text = defineModel<string>({ required: true });
const props = defineProps<{ label: string; lines?: boolean; fields: Api["MergeFieldOut"][] }>();
const address = ref("");
const linking = ref(false);
const picked = ref<{ at: number; field: string } | null>(null);

const read = (value: string) => (props.lines ? toChips(value) : lineToHtml(value));
const write = (html: string) => (props.lines ? fromChips(html) : htmlToLine(html));

const editor = useEditor({
  content: read(text.value),
  extensions: props.lines
    ? [StarterKit.configure({ heading: { levels: [2, 3] }, code: false, codeBlock: false, strike: false, link: { openOnClick: false, HTMLAttributes: { rel: null, target: null } } }), MergeField]
    : [Document.extend({ content: "paragraph" }), Paragraph, Text, UndoRedo, MergeField],
  editorProps: {
    attributes: { class: props.lines ? "text" : "one-line", role: "textbox", "aria-label": props.label, "aria-multiline": String(Boolean(props.lines)) },
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
  if (editor.value && now !== write(editor.value.getHTML())) editor.value.commands.setContent(read(now), { emitUpdate: false });
});

const groups = computed(() => {
  const found = new Map<string, Api["MergeFieldOut"][]>();
  for (const field of props.fields) found.set(field.group, [...(found.get(field.group) ?? []), field]);
  return [...found];
});
function insert(name: string): void {
  const fallback = name === "student.first_name" ? (props.lines ? "there" : "Hello") : null;
  editor.value?.chain().focus().insertContent({ type: "mergeField", attrs: { field: writeField({ name, fallback, filters: "" }) } }).run();
}
const chip = computed(() => (picked.value ? readField(picked.value.field) : null));
function setFallback(fallback: string | null): void {
  if (!picked.value || !chip.value) return;
  const field = writeField({ ...chip.value, fallback });
  editor.value?.commands.command(({ tr }) => Boolean(tr.setNodeAttribute(picked.value!.at, "field", field)));
  picked.value = { ...picked.value, field };
}
function removeChip(): void {
  if (picked.value) editor.value?.chain().focus().deleteRange({ from: picked.value.at, to: picked.value.at + 1 }).run();
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
        <Button size="small" type="text" :class="{ on: editor.isActive('bold') }" aria-label="Bold" @click="editor.chain().focus().toggleBold().run()"><b>B</b></Button>
        <Button size="small" type="text" :class="{ on: editor.isActive('italic') }" aria-label="Italic" @click="editor.chain().focus().toggleItalic().run()"><i>I</i></Button>
        <Button size="small" type="text" :class="{ on: editor.isActive('heading') }" @click="editor.chain().focus().toggleHeading({ level: 2 }).run()">Heading</Button>
        <Button size="small" type="text" :class="{ on: editor.isActive('bulletList') }" @click="editor.chain().focus().toggleBulletList().run()">List</Button>
        <Button size="small" type="text" :class="{ on: editor.isActive('orderedList') }" @click="editor.chain().focus().toggleOrderedList().run()">1. 2. 3.</Button>
        <Popover :open="linking" trigger="click" title="Where does the link go? Leave empty to remove it." @open-change="openLink">
          <Button size="small" type="text" :class="{ on: editor.isActive('link') }">Link</Button>
          <template #content><form class="link-form" @submit.prevent="setLink"><Input v-model:value="address" aria-label="Address" /><Button html-type="submit" type="primary">Set</Button></form></template>
        </Popover>
      </template>
      <Dropdown :trigger="['click']">
        <Button size="small" type="text" class="insert" :aria-label="`Insert a merge field into ${label}`">+ merge field</Button>
        <template #overlay>
          <Menu class="fields" @click="({ key }) => insert(String(key))">
            <Menu.ItemGroup v-for="[group, found] in groups" :key="group" :title="group"><Menu.Item v-for="field in found" :key="field.name">{{ field.label }}</Menu.Item></Menu.ItemGroup>
          </Menu>
        </template>
      </Dropdown>
    </div>
    <EditorContent :editor="editor" class="content" />
    <div v-if="chip" class="chip-bar">
      <span class="chip">{{ fieldLabel(chip.name) }}</span>
      <label class="label">if empty, write <Input size="small" :value="chip.fallback ?? ''" placeholder="nothing: the letter waits for you" style="width: 220px" @input="(e: Event) => setFallback((e.target as HTMLInputElement).value || null)" /></label>
      <Button size="small" @click="removeChip">Remove</Button><Button size="small" type="text" @click="picked = null">Done</Button>
    </div>
  </div>
</template>

<style scoped>
.field-text { border: 1px solid var(--rule); border-radius: 6px; background: var(--sheet); position: relative; }
.field-text:focus-within { border-color: var(--act); }
.bar { display: flex; flex-wrap: wrap; gap: 2px; padding: 3px 4px; border-bottom: 1px solid var(--rule2); }
.field-text:not(.lines) { display: flex; align-items: center; } .field-text:not(.lines) .bar { order: 2; border: 0; } .field-text:not(.lines) .content { flex: 1; min-width: 0; }
.insert { color: var(--act); margin-left: auto; } .on { background: var(--act-bg); }
.content :deep(.ProseMirror) { outline: none; }
.content :deep(.one-line) { padding: 6px 10px; overflow-wrap: anywhere; } .content :deep(p) { margin: 0; }
.content :deep(.text) { padding: 12px 16px; min-height: 90px; font: 16px/1.55 var(--letter); } .content :deep(.text p) { margin: 0 0 12px; } .content :deep(.text h2) { font: 600 19px/1.4 var(--letter); margin: 6px 0; }
.content :deep(.chip) { cursor: pointer; color: var(--act); } .content :deep(.ProseMirror-selectednode) { outline: 2px solid var(--act); }
.chip-bar { display: flex; gap: 10px; align-items: center; flex-wrap: wrap; padding: 6px 10px; background: var(--sheet2); border-top: 1px solid var(--rule2); width: 100%; }
.field-text:not(.lines) { flex-wrap: wrap; } .chip-bar { order: 3; }
.link-form { display: flex; gap: 8px; width: 340px; }
:global(.fields) { max-height: 340px; overflow: auto; }
</style>
