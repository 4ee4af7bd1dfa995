<script setup lang="ts">
/** What the pointer does: pose, or paint the chosen joint's weights; and the map of the colours. */
import { computed } from 'vue'
import type { PaintMode } from '@/api/live'
import { plainName } from '@/workbench/angles'
import { useWorkbench } from '@/workbench/store'
import { weightColour } from '@/view/heat'

const bench = useWorkbench()
const modes: { name: PaintMode | null; label: string; hint: string }[] = [
  { name: null, label: 'Pose', hint: 'The pointer bends joints and turns the view' },
  { name: 'add', label: 'Add', hint: 'More of this joint; the others make room' },
  { name: 'subtract', label: 'Subtract', hint: 'Less of this joint; the others make up for it' },
  { name: 'replace', label: 'Replace', hint: 'Draw towards the value' },
  { name: 'smooth', label: 'Smooth', hint: 'Even out over the surface' },
]
const map = computed(() => {
  const stops = [0, 0.25, 0.5, 0.75, 1].map((w) => `#${weightColour(w).getHexString()}`)
  return `linear-gradient(90deg, ${stops.join(', ')})`
})
</script>

<template>
  <div class="rail" role="radiogroup" aria-label="Pointer">
    <button v-for="m in modes" :key="m.label" role="radio" :aria-checked="bench.paintMode === m.name" :class="{ on: bench.paintMode === m.name }" :title="m.hint" :disabled="bench.sculpting !== null" @click="bench.paintMode = m.name">{{ m.label }}</button>
  </div>
  <div v-if="bench.painting" class="numbers">
    <label>size <el-slider v-model="bench.brushSize" :min="0.005" :max="0.25" :step="0.001" size="small" :show-tooltip="false" aria-label="Brush size" /><b class="num">{{ (bench.brushReach * 100).toFixed(1) }} cm</b></label>
    <label>strength <el-slider v-model="bench.brushStrength" :min="0.02" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Brush strength" /><b class="num">{{ (bench.brushStrength * 100).toFixed(0) }} %</b></label>
    <label v-if="bench.paintMode === 'replace'">value <el-slider v-model="bench.paintValue" :min="0" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Value" /><b class="num">{{ bench.paintValue.toFixed(2) }}</b></label>
    <el-checkbox v-model="bench.paintMirrored" label="mirrored" size="small" />
    <el-checkbox v-model="bench.secondLayer" label="second layer" size="small" title="Reach the surface behind the front one" />
  </div>
  <div v-if="bench.shading === 'weights' && bench.chosen" class="map" :class="{ up: bench.painting }">
    <span>{{ plainName(bench.chosen) }}</span><i class="num">0</i><span class="bar" :style="{ background: map }" /><i class="num">1</i>
  </div>
</template>

<style scoped>
.rail { position: absolute; left: 12px; top: 12px; display: grid; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; overflow: hidden; }
.rail button { background: none; border: 0; border-left: 3px solid transparent; color: var(--muted); font: inherit; text-align: left; padding: 6px 16px 6px 11px; cursor: pointer; }
.rail button.on { background: var(--raised); border-left-color: var(--accent); color: var(--text); }
.numbers { position: absolute; left: 12px; bottom: 48px; max-width: calc(100% - 24px); display: flex; flex-wrap: wrap; gap: 0 16px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 2px 12px; font-size: 12px; color: var(--muted); }
.numbers label { display: flex; gap: 10px; align-items: center; }
.numbers .el-slider { width: 70px; }
.numbers b { color: var(--text); font-weight: 500; white-space: nowrap; }
.map { position: absolute; right: 12px; bottom: 12px; display: flex; gap: 7px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 5px 9px; font-size: 12px; }
.map i { font-style: normal; color: var(--muted); }
.map .bar { width: 110px; height: 9px; border-radius: 2px; }
</style>
