<script setup lang="ts">
import { useQuery } from "@tanstack/vue-query";
import Input from "ant-design-vue/es/input";
import Modal from "ant-design-vue/es/modal";
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, data } from "../api/client";
import { useThings } from "../api/things";

/** Go anywhere by name (Ctrl or ⌘ K), and the single keys (?). */
const props = defineProps<{ places: { to: string; name: string }[] }>();
const router = useRouter();
const { things } = useThings();
const open = ref(false);
const help = ref(false);
const typed = ref("");
const at = ref(0);
const box = ref<{ focus: () => void }>();
const { data: students } = useQuery({
  queryKey: ["students", "palette", typed],
  queryFn: () => data(api.GET("/api/students", { params: { query: { q: typed.value } } })),
  enabled: computed(() => open.value && typed.value.trim().length > 1),
});
const { data: broadcasts } = useQuery({
  queryKey: ["broadcasts"],
  queryFn: () => data(api.GET("/api/broadcasts")),
  enabled: open,
});
const found = computed(() => {
  const all = [
    ...props.places.map((place) => ({ to: place.to, name: place.name, kind: "Place" })),
    ...(things.value?.courses ?? []).map((one) => ({ to: `/courses/${one.key}`, name: one.title, kind: "Course" })),
    ...(things.value?.sequences ?? []).flatMap((one) => [
      { to: `/sequences/${one.key}`, name: one.title, kind: "Sequence" },
      { to: `/sequences/${one.key}/rehearsal`, name: `${one.title}`, kind: "Rehearse" },
    ]),
    ...(broadcasts.value ?? []).map((one) => ({ to: `/broadcasts/${one.key}`, name: one.name, kind: "Broadcast" })),
    { to: "/purchases", name: "Purchases", kind: "Place" },
    { to: "/tags", name: "Tags", kind: "Place" },
    { to: "/audiences", name: "Audiences", kind: "Place" },
    { to: "/import", name: "Import students", kind: "Place" },
    { to: "/certificates", name: "Certificates", kind: "Place" },
    { to: "/school/connections", name: "Connections", kind: "Place" },
    { to: "/school/destinations", name: "Destinations and keys", kind: "Place" },
    { to: "/school/sign-up", name: "Sign-up pages", kind: "Place" },
    { to: "/school/changes", name: "What was changed, and by whom", kind: "Place" },
    { to: "/school/check-up", name: "How it runs", kind: "Place" },
    { to: "/who-is-told", name: "Who is told what", kind: "Place" },
    { to: "/check-up", name: "Check-up: is the school well?", kind: "Place" },
    { to: "/weekly", name: "The weekly letter", kind: "Place" },
    { to: "/notices", name: "Notices", kind: "Place" },
    { to: "/school/helpers", name: "Helpers", kind: "Place" },
    { to: "/school/copies", name: "Copies", kind: "Place" },
    { to: "/school/mail", name: "Mail", kind: "Place" },
    { to: "/school/look", name: "Look of the letters", kind: "Place" },
    { to: "/broadcasts?new", name: "New broadcast", kind: "Do" },
    ...(things.value?.letters ?? []).map((one) => ({ to: `/letters/${one.key}`, name: one.title, kind: "Letter" })),
  ];
  const words = typed.value.toLowerCase().split(/\s+/).filter(Boolean);
  const fitting = all.filter((one) => words.every((word) => `${one.kind} ${one.name}`.toLowerCase().includes(word)));
  const people = words.length
    ? (students.value?.items ?? [])
        .slice(0, 6)
        .map((one) => ({ to: `/students/${one.key}`, name: `${one.name} · ${one.email}`, kind: "Student" }))
    : [];
  return [...fitting.slice(0, 12), ...people];
});
// Enter pressed before the list has come: go as soon as it has.
let eager = false;
watch(typed, () => {
  at.value = 0;
  eager = false;
});
watch(found, () => eager && go(at.value));
watch(open, (now) => {
  typed.value = "";
  if (now) void nextTick(() => window.setTimeout(() => box.value?.focus(), 80));
});
function go(index: number): void {
  const chosen = found.value[index];
  eager = !chosen && !things.value;
  if (!chosen) return;
  open.value = false;
  void router.push(chosen.to);
}
function inside(event: KeyboardEvent): void {
  if (event.key === "ArrowDown") at.value = Math.min(at.value + 1, found.value.length - 1);
  else if (event.key === "ArrowUp") at.value = Math.max(at.value - 1, 0);
  else if (event.key === "Enter") go(at.value);
  else {
    // The dialog takes the focus to itself while it opens; what is typed belongs in the box.
    if (event.key.length === 1 && !event.ctrlKey && !event.metaKey) box.value?.focus();
    return;
  }
  event.preventDefault();
}
let first = "";
function key(event: KeyboardEvent): void {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "k") {
    event.preventDefault();
    open.value = !open.value;
    return;
  }
  if (open.value) return inside(event);
  const typing = (event.target as HTMLElement).closest(
    "input, textarea, select, [contenteditable], .ant-select, .ant-modal, .desk",
  );
  if (typing || event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.key === "?") help.value = true;
  else if (first === "g") {
    const place = props.places.find((one) => one.name[0]?.toLowerCase() === event.key);
    if (place) void router.push(place.to);
    first = "";
    return;
  }
  first = event.key === "g" ? "g" : "";
}
onMounted(() => window.addEventListener("keydown", key));
onBeforeUnmount(() => window.removeEventListener("keydown", key));
const KEYS = [
  ["Ctrl K or ⌘ K", "go anywhere by name"],
  ["g, then a letter", "go to a place: g t Today, g c Courses, g s Sequences …"],
  ["?", "this list"],
  ["n · p", "in a broadcast: the letter as the next student sees it, or the one before"],
  ["↑ ↓", "in a sequence: choose a step"],
  ["l w f b p t d r e", "add a letter, wait, wait for, branch, waypoint, tag, date, repeat, end behind it"],
  ["Alt ↑ ↓", "move it up or down"],
  ["Alt → ←", "move it into the lane above, or out of its lane"],
  ["c · Delete", "copy it · remove it"],
  ["Ctrl Z · Ctrl Shift Z", "take back · do again"],
];
defineExpose({ show: () => (open.value = true) });
</script>

<template>
  <Modal v-model:open="open" :footer="null" :closable="false" width="560px" wrap-class-name="palette" title="Go to">
    <Input
      ref="box"
      v-model:value="typed"
      placeholder="A place, course, sequence, letter, broadcast or student"
      aria-label="Go to"
      role="combobox"
      aria-expanded="true"
      aria-controls="palette-found"
    />
    <ul id="palette-found" role="listbox" aria-label="Found" class="found">
      <li
        v-for="(one, index) in found"
        :key="one.to + one.kind"
        role="option"
        :aria-selected="index === at"
        :class="{ at: index === at }"
        @click="go(index)"
        @mousemove="at = index"
      >
        <span class="label kind">{{ one.kind }}</span>{{ one.name }}
      </li>
    </ul>
    <p v-if="!found.length" class="soft">Nothing is called that.</p>
  </Modal>
  <Modal v-model:open="help" title="Keys" :footer="null"
    ><table class="plain">
      <tbody>
        <tr v-for="[keys, what] in KEYS" :key="keys">
          <td class="postmark">{{ keys }}</td>
          <td>{{ what }}</td>
        </tr>
      </tbody>
    </table></Modal
  >
</template>

<style scoped>
.found {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
  max-height: 50vh;
  overflow-y: auto;
}
.found li {
  padding: 6px 10px;
  border-radius: 5px;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.found .at {
  background: var(--act-bg);
}
.kind {
  display: inline-block;
  width: 78px;
}
</style>
