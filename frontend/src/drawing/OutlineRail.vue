<script setup lang="ts">
/** The brushes for outlines, and what they take along. */
import { computed } from 'vue'
import BrushRow from '@/view/BrushRow.vue'
import { useTools } from '@/workbench/tools'
import { outlineBrush, outlineBrushes } from './outlineBrushes'

const tools = useTools()
const brush = computed(() => outlineBrush(tools.outlineBrush))
</script>

<template>
  <div class="rail rail-buttons" role="radiogroup" aria-label="Brush">
    <button v-for="b in outlineBrushes" :key="b.name" role="radio" :aria-checked="tools.outlineBrush === b.name" :class="{ on: tools.outlineBrush === b.name }" :title="b.hint" @click="tools.outlineBrush = b.name">{{ b.label }}</button>
  </div>
  <div class="numbers">
    <label title="How far along the outline neighbours come along; 0 = only the point itself">along <el-slider v-model="tools.along" :min="0" :max="0.3" :step="0.005" size="small" :show-tooltip="false" aria-label="How far neighbours come along" /><b class="num">{{ tools.alongReach.toFixed(0) }}</b></label>
    <label v-if="brush.steady">strength <el-slider v-model="tools.brushStrength" :min="0.02" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Brush strength" /><b class="num">{{ (tools.brushStrength * 100).toFixed(0) }} %</b></label>
    <el-checkbox v-model="tools.otherOutlines" label="all outlines" size="small" title="Show the points of everything, and let those within reach come along" />
    <span class="muted">{{ brush.hint }}. Shift: pick several</span>
  </div>
  <BrushRow v-model="tools.outlineBrush" :choices="outlineBrushes" />
</template>

<style scoped>
.rail { top: 56px; }
.rail button { padding-block: 4px; }
.numbers { position: absolute; left: 12px; bottom: 12px; max-width: calc(100% - 270px); display: flex; flex-wrap: wrap; gap: 0 16px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 2px 12px; font-size: 12px; color: var(--muted); }
.numbers label:not(.el-checkbox) { display: flex; gap: 10px; align-items: center; }
.numbers .el-slider { width: 70px; --el-slider-button-size: 14px; }
.numbers b { color: var(--text); font-weight: 500; }
</style>
