<script setup lang="ts">
import { inPractice } from "../api/rights";
import PracticeClassroom from "./PracticeClassroom.vue";
import PracticeDoor from "./PracticeDoor.vue";

/** The practice classroom, or, in a school that writes to real students, the way to it. */
</script>

<template>
  <PracticeClassroom v-if="inPractice" />
  <PracticeDoor v-else />
</template>
