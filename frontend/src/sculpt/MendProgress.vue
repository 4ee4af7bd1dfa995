<script setup lang="ts">
/** How far a first mend has got, and a way out of it. */
import { useMending } from '@/workbench/mending'

const mending = useMending()
</script>

<template>
  <div v-if="mending.solved !== null" class="line">
    <el-progress :percentage="Math.round(100 * mending.solved)" :show-text="false" :stroke-width="4" aria-label="How far the first mend is" />
    <el-button size="small" text @click="mending.stopSolving()">Cancel</el-button>
  </div>
</template>

<style scoped>
.line { display: grid; grid-template-columns: 1fr auto; gap: 8px; align-items: center; margin: 6px 0; }
</style>
