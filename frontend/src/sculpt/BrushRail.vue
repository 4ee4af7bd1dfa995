<script setup lang="ts">
/** The brushes, with size and strength. */
import { useWorkbench, type BrushName } from '@/workbench/store'

const bench = useWorkbench()
const brushes: { name: BrushName; label: string; hint: string }[] = [
  { name: 'grab', label: 'Grab', hint: 'Drag the skin along with the pointer' },
  { name: 'inflate', label: 'Inflate', hint: 'Push out along the normal; with Shift, let in' },
  { name: 'smooth', label: 'Smooth', hint: 'Even out under the brush' },
  { name: 'put_back', label: 'Put back', hint: 'Return to what it was when the session began' },
]
</script>

<template>
  <div class="rail" role="radiogroup" aria-label="Brush">
    <button v-for="b in brushes" :key="b.name" role="radio" :aria-checked="bench.brush === b.name" :class="{ on: bench.brush === b.name }" :title="b.hint" @click="bench.brush = b.name">{{ b.label }}</button>
  </div>
  <div class="numbers">
    <label>size <el-slider v-model="bench.brushSize" :min="0.005" :max="0.25" :step="0.001" size="small" :show-tooltip="false" aria-label="Brush size" /><b class="num">{{ (bench.brushReach * 100).toFixed(1) }} cm</b></label>
    <label>strength <el-slider v-model="bench.brushStrength" :min="0.02" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Brush strength" /><b class="num">{{ (bench.brushStrength * 100).toFixed(0) }} %</b></label>
    <span>mirroring <b>off</b></span>
    <el-checkbox v-model="bench.secondLayer" label="second layer" size="small" title="Reach the surface behind the front one" />
  </div>
</template>

<style scoped>
.rail { position: absolute; left: 12px; top: 56px; display: grid; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; overflow: hidden; }
.rail button { background: none; border: 0; border-left: 3px solid transparent; color: var(--muted); font: inherit; text-align: left; padding: 6px 16px 6px 11px; cursor: pointer; }
.rail button.on { background: var(--raised); border-left-color: var(--accent); color: var(--text); }
.numbers { position: absolute; left: 12px; bottom: 48px; display: flex; gap: 16px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 2px 12px; font-size: 12px; color: var(--muted); }
.numbers label { display: flex; gap: 12px; align-items: center; }
.numbers .el-slider { width: 84px; }
.numbers b { color: var(--text); font-weight: 500; }
</style>
