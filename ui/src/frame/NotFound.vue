<script setup lang="ts">
import PageHead from "../parts/PageHead.vue";
</script>

<template>
  <PageHead title="There is nothing here" />
  <p style="padding: 24px">This address leads nowhere. <RouterLink to="/today">Go to Today</RouterLink>.</p>
</template>
