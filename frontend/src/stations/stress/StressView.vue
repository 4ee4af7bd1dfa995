<script setup lang="ts">
/** What Stress lays over the view: shading, without and with, the measures. */
import CompareBar from '@/view/CompareBar.vue'
import LiveMeasures from '@/view/LiveMeasures.vue'
</script>

<template>
  <CompareBar />
  <LiveMeasures />
</template>
