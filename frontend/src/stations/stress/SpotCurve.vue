<script setup lang="ts">
/** A small curve of badness over a way: without remedies thin, with them bold. */
import { computed } from 'vue'
import type { Spot } from '@/workbench/trouble'

const props = withDefaults(defineProps<{ spot: Spot; width?: number; height?: number }>(), { width: 58, height: 22 })
const lines = computed(() => {
  // Every way of a joint begins at rest, where nothing is wrong.
  const points = [...props.spot.curve, ...(props.spot.kind === 'joint' ? [[0, 0, 0]] : [])].sort((a, b) => a[0]! - b[0]!)
  const first = points[0]?.[0] ?? 0, last = points.at(-1)?.[0] ?? 1
  const x = (at: number) => 1 + ((at - first) / Math.max(last - first, 1e-9)) * (props.width - 2)
  const y = (percent: number) => props.height - 1.5 - (percent / 100) * (props.height - 3)
  const of = (k: 1 | 2) => points.map((p) => `${x(p[0]!).toFixed(1)},${y(p[k]!).toFixed(1)}`).join(' ')
  return { bare: of(1), left: of(2) }
})
</script>

<template>
  <svg :width="width" :height="height" aria-hidden="true">
    <line x1="0" :x2="width" :y1="height - 1" :y2="height - 1" />
    <template v-if="spot.kind === 'joint' || spot.kind === 'clip'"><polyline :points="lines.bare" class="bare" /><polyline :points="lines.left" class="left" /></template>
  </svg>
</template>

<style scoped>
svg { flex: none; }
line { stroke: var(--line); }
polyline { fill: none; stroke-linejoin: round; }
.bare { stroke: var(--muted); stroke-width: 1; opacity: 0.8; }
.left { stroke: var(--loss); stroke-width: 2; }
</style>
