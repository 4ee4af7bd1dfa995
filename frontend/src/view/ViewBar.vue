<script setup lang="ts">
/** What the view shows: shading, and what is on or off; a station adds its own switches in the middle. */
import { useWorkbench, type Shading } from '@/workbench/store'
import PartsMenu from './PartsMenu.vue'

defineProps<{ shadings: Shading[] }>()
const bench = useWorkbench()
const labels: Record<Shading, string> = { weights: 'Weights', mixed: 'All joints', colour: 'Colour', clay: 'Clay', wire: 'Wire', volume: 'Volume' }
</script>

<template>
  <div class="bar chips" role="radiogroup" aria-label="Shading">
    <button v-for="s in shadings" :key="s" role="radio" :aria-checked="bench.shading === s" :class="{ on: bench.shading === s }" @click="bench.shading = s">{{ labels[s] }}</button>
  </div>
  <div class="bar toggles">
    <button :class="{ on: !bench.atRest }" :disabled="bench.sculpting !== null" title="Rest pose and back (Q)" @click="bench.toggleRest">{{ bench.atRest ? 'Back to pose' : 'Rest pose' }}</button>
    <slot />
    <button :class="{ on: bench.joints }" :aria-pressed="bench.joints" title="Joints on or off (J)" @click="bench.joints = !bench.joints">Joints</button>
    <PartsMenu v-if="(bench.figure?.parts.length ?? 0) > 1" />
  </div>
</template>

<style scoped>
.bar { position: absolute; right: 12px; display: flex; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; overflow: hidden; font-size: 12px; }
.chips { top: 12px; }
.toggles { top: 46px; }
.bar > :deep(button), .bar > :slotted(button) { border: 0; background: none; color: var(--muted); font: inherit; padding: 4px 10px; border-right: 1px solid var(--line); cursor: pointer; }
.bar > :deep(button:last-child) { border: 0; }
.bar > :deep(.on), .bar > :slotted(.on) { background: var(--raised); color: var(--text); }
</style>
