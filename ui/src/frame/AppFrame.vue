<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRoute } from "vue-router";

import { api, type Api } from "../api/client";
import { may } from "../api/rights";
import { useChanges } from "./frame";
import CopyBand from "../practice/CopyBand.vue";
import CommandPalette from "./CommandPalette.vue";
import SchoolClock from "./SchoolClock.vue";
import { useScrolled } from "./scrolled";

defineProps<{ session: Api["SessionOut"] }>();
const emit = defineEmits<{ leave: [] }>();
const { data: frame, error } = useChanges();
// Where nothing can be read any more, the refusal says why.
const trouble = computed(() => frame.value?.trouble ?? error.value?.message);
useScrolled();
const route = useRoute();
const open = ref(false);
const palette = ref<InstanceType<typeof CommandPalette>>();

const places = computed(() => [
  { to: "/today", name: "Today", count: (may("students") && frame.value?.needs_you) || null },
  { to: "/courses", name: "Courses", count: null },
  { to: "/sequences", name: "Sequences", count: null },
  { to: "/letters", name: "Letters", count: null },
  { to: "/broadcasts", name: "Broadcasts", count: null },
  ...(may("students")
    ? [
        { to: "/students", name: "Students", count: frame.value?.students ?? null },
        { to: "/dispatch", name: "Dispatch log", count: null },
      ]
    : []),
]);
const backRoom = computed(() => [
  ...(may("run") ? [{ to: "/practice", name: "Practice classroom" }] : []),
  ...(may("settings") ? [{ to: "/school", name: "School" }] : []),
  { to: "/you", name: "You" },
]);

// Tags, audiences and imports belong to the students.
const OF_STUDENTS = ["/tags", "/audiences", "/import"];
const isHere = (to: string) =>
  (to === "/students" && OF_STUDENTS.includes(route.path)) ||
  (to === "/courses" && route.path === "/certificates") ||
  route.path === to ||
  route.path.startsWith(`${to}/`);
watch(
  () => route.path,
  () => (open.value = false),
);

async function signOut(): Promise<void> {
  await api.DELETE("/api/session");
  emit("leave");
}
</script>

<template>
  <div class="frame" :class="{ copy: session.copy_of_school }">
    <a class="skip" href="#place">Skip the menu</a>
    <nav class="rail" :class="{ open }" aria-label="Places">
      <div class="top">
        <RouterLink to="/today" class="brand"
          ><img src="/mark.svg" alt="" /><span>Patient <br />Courier</span></RouterLink
        >
        <button class="menu" :aria-expanded="open" @click="open = !open">Menu</button>
      </div>
      <div class="places">
        <RouterLink
          v-for="place in places"
          :key="place.to"
          :to="place.to"
          class="place"
          :class="{ here: isHere(place.to) }"
          :aria-current="isHere(place.to) ? 'page' : undefined"
        >
          <span>{{ place.name }}</span><span v-if="place.count !== null" class="soft">{{ place.count }}</span>
        </RouterLink>
        <button class="place goto wide-only" @click="palette?.show()">
          <span>Go to …</span><span class="label">Ctrl K</span>
        </button>
        <hr />
        <RouterLink
          v-for="place in backRoom"
          :key="place.to"
          :to="place.to"
          class="place"
          :class="{ here: isHere(place.to) }"
          :aria-current="isHere(place.to) ? 'page' : undefined"
          >{{ place.name }}</RouterLink
        >
      </div>
      <div class="foot">
        <SchoolClock v-if="frame" :clock="frame.clock" />
        <button v-if="!session.by_itself" class="link small" @click="signOut">Sign out {{ session.name }}</button>
      </div>
    </nav>
    <CommandPalette ref="palette" :places="[...places, ...backRoom]" />
    <main id="place" class="place-room">
      <CopyBand v-if="session.copy_of_school" :school="session.school" :may-throw="may('run')" />
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <p v-if="frame?.coming_back && route.path !== '/school/coming-back'" class="trouble" role="alert">
        {{ frame.coming_back }} <RouterLink v-if="may('keep')" to="/school/coming-back">Look now</RouterLink>
      </p>
      <RouterView />
    </main>
  </div>
</template>

<style scoped>
.frame {
  display: grid;
  grid-template-columns: 176px minmax(0, 1fr);
  height: 100%;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 8px;
  top: 8px;
  background: #fff;
  padding: 8px;
  z-index: 20;
}
.rail {
  background: var(--rail);
  border-right: 1px solid var(--rule);
  display: flex;
  flex-direction: column;
  overflow-y: auto;
}
.copy .rail {
  background: #e6dcee;
}
.top {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
.brand {
  display: flex;
  gap: 10px;
  align-items: center;
  padding: 14px 18px;
  color: var(--ink);
  font: 600 17px/1.2 var(--title);
  text-decoration: none;
}
.brand img {
  width: 26px;
}
.place {
  display: flex;
  justify-content: space-between;
  padding: 6px 18px 6px 18px;
  border-left: 3px solid transparent;
  color: var(--ink);
  text-decoration: none;
  font-size: 14px;
}
.goto {
  width: 100%;
  border-top: 0;
  border-right: 0;
  border-bottom: 0;
  background: none;
  cursor: pointer;
  align-items: baseline;
  font-family: inherit;
}
.place:hover {
  background: #e1eaf0;
}
.place.here {
  background: var(--ground);
  border-left-color: var(--red);
  font-weight: 600;
}
hr {
  border: 0;
  border-top: 1px solid var(--rule);
  margin: 14px 18px;
}
.foot {
  margin-top: auto;
  padding: 12px 18px 16px;
  border-top: 1px solid var(--rule);
}
.place-room {
  position: relative;
  overflow: auto;
  min-width: 0;
  display: flex;
  flex-direction: column;
}
.trouble {
  margin: 0;
  padding: 10px 22px;
  background: var(--warn-bg);
  border-bottom: 1px solid var(--warn-mark);
  color: var(--ink);
}
.menu {
  display: none;
}
.small {
  font-size: 12.5px;
  margin-top: 8px;
}
@media (max-width: 720px) {
  .frame {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: auto minmax(0, 1fr);
  }
  .rail {
    border-right: 0;
    border-bottom: 1px solid var(--rule);
    overflow: visible;
  }
  .rail .places,
  .rail .foot {
    display: none;
  }
  .rail.open .places,
  .rail.open .foot {
    display: block;
  }
  .brand {
    padding: 10px 16px;
  }
  .brand br {
    display: none;
  }
  .brand span {
    white-space: pre;
  }
  .menu {
    display: block;
    margin-right: 14px;
    border: 1px solid var(--rule);
    background: var(--sheet);
    border-radius: 6px;
    padding: 6px 14px;
    color: var(--ink);
  }
}
</style>
