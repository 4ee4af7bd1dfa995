<script setup lang="ts">
/** Size, strength, falloff and reach of the brush; a station adds its own settings in the slot. */
import { useCharacter } from '@/workbench/character'
import { useLengths } from '@/workbench/lengths'
import { useTools } from '@/workbench/tools'

const tools = useTools()
const lengths = useLengths()
const character = useCharacter()
const keeps = [
  { value: 'everywhere', label: 'everywhere' },
  { value: 'inside', label: 'only inside' },
  { value: 'outside', label: 'only outside' },
]
</script>

<template>
  <div class="numbers">
    <label>size <el-slider v-model="tools.brushSize" :min="0.005" :max="0.25" :step="0.001" size="small" :show-tooltip="false" aria-label="Brush size" /><b class="num">{{ lengths.told(tools.brushReach) }}</b></label>
    <label v-if="!tools.picking">strength <el-slider v-model="tools.brushStrength" :min="0.02" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Brush strength" /><b class="num">{{ (tools.brushStrength * 100).toFixed(0) }} %</b></label>
    <label v-if="!tools.picking" title="The share of the brush over which it fades, from its middle to its rim">falloff <el-slider v-model="tools.brushFalloff" :min="0" :max="1" :step="0.05" size="small" :show-tooltip="false" aria-label="Brush falloff" /><b class="num">{{ (tools.brushFalloff * 100).toFixed(0) }} %</b></label>
    <slot />
    <label v-if="!character.flat" title="Which surface under the pointer is reached: the front one, or one behind it">layer <el-segmented v-model="tools.layer" :options="[1, 2, 3]" size="small" aria-label="Layer under the pointer" /></label>
    <label v-if="!tools.picking && !tools.masking && (tools.picked || tools.kept.length)">works
      <el-select v-model="tools.keepTo" size="small" class="keep" aria-label="Where the brush works"><el-option v-for="k in keeps" :key="k.value" :value="k.value" :label="k.label" /></el-select>
      <el-select v-if="tools.keepTo !== 'everywhere'" v-model="tools.withinRegion" size="small" class="keep" aria-label="Region of the brush">
        <el-option value="" label="what is picked" /><el-option v-for="r in tools.kept" :key="r.name" :value="r.name" :label="r.name" />
      </el-select>
    </label>
  </div>
</template>

<style scoped>
.numbers { position: absolute; left: 12px; bottom: 48px; max-width: calc(100% - 24px); display: flex; flex-wrap: wrap; gap: 0 16px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 2px 12px; font-size: 12px; color: var(--muted); }
.numbers > :deep(label:not(.el-checkbox)) { display: flex; gap: 10px; align-items: center; }
.numbers :deep(.el-slider) { width: 60px; --el-slider-button-size: 14px; }
.numbers :deep(.el-checkbox) { margin-right: 0; }
.numbers .keep { width: 112px; }
.numbers :deep(b) { color: var(--text); font-weight: 500; white-space: nowrap; }
</style>
