<script setup lang="ts">
/** What is bent, about which axis, and how far: beside the bend strip. */
import { computed } from 'vue'
import type { Axis } from '@/api/client'
import { axisName, sameAxis } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { hingeOf, useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import MotionSelect from './MotionSelect.vue'
import StripLegend from './StripLegend.vue'

defineProps<{ low: number; high: number }>()
const character = useCharacter()
const posing = usePose()
const mending = useMending()

const axes = computed<{ axis: Axis; label: string }[]>(() => {
  const list: Axis[] = [[1, 0, 0], [0, 1, 0], [0, 0, 1]]
  for (const r of mending.tiedHere) {
    const hinge = hingeOf(r)
    if (hinge?.joint === posing.chosen && !list.some((a) => sameAxis(a, hinge.axis as Axis))) list.push(hinge.axis as Axis)
  }
  const hinge = posing.jointInfo?.hinge_axis as Axis | undefined
  return list.map((a) => ({ axis: a, label: axisName(a) + (hinge && sameAxis(a, hinge) ? ' hinge' : '') }))
})
</script>

<template>
  <div class="head">
    <MotionSelect />
    <div v-if="!character.flat" class="axes" role="group" aria-label="Axis">
      <button v-for="a in axes" :key="a.label" :class="{ on: sameAxis(a.axis, posing.axis) }" @click="posing.axis = [...a.axis]">{{ a.label }}</button>
    </div>
    <div class="typed">
      <el-input-number
        :model-value="Math.round(posing.angle * 10) / 10" size="small" :min="Math.min(-180, low)" :max="Math.max(180, high)" :step="5" :precision="1"
        controls-position="right" aria-label="Angle in degrees" :disabled="character.sculpting !== null"
        @update:model-value="(v: number | undefined) => posing.bendTo(v ?? 0)"
      />
      <span class="muted">degrees</span>
    </div>
    <StripLegend />
  </div>
</template>

<style scoped src="./strip.css"></style>
<style scoped>
.axes { display: flex; gap: 4px; margin: 4px 0 6px; }
.axes button { font: inherit; font-size: 12px; background: none; border: 1px solid var(--line); color: var(--muted); border-radius: 4px; padding: 0 8px; cursor: pointer; }
.axes button.on { color: var(--accent); border-color: var(--accent); }
.typed { display: flex; gap: 8px; align-items: center; font-size: 12px; }
.typed .el-input-number { width: 104px; }
</style>
