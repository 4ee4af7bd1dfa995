<script setup lang="ts">
/** What the pointer does at the moment, and the map of the colours. */
import { computed } from 'vue'
import { plainName } from '@/workbench/angles'
import { useTools, type BindTab, type Tool } from '@/workbench/tools'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import BrushNumbers from '@/view/BrushNumbers.vue'
import BrushRow from '@/view/BrushRow.vue'
import { weightColour } from '@/view/heat'

const character = useCharacter()
const posing = usePose()
const live = useLive()
const looks = useLook()
const tools = useTools()
interface Choice { name: Tool; label: string; hint: string }
const pose: Choice = { name: 'pose', label: 'Pose', hint: 'The pointer bends joints and turns the view' }
const choices: Record<BindTab, Choice[]> = {
  weights: [
    pose,
    { name: 'add', label: 'Add', hint: 'More of this joint; the others make room' },
    { name: 'subtract', label: 'Subtract', hint: 'Less of this joint; the others make up for it' },
    { name: 'replace', label: 'Replace', hint: 'Draw towards the value' },
    { name: 'smooth', label: 'Smooth', hint: 'Even out over the surface' },
    { name: 'even', label: 'Gradient', hint: 'Spread what the joints along this bone hold evenly along it' },
    { name: 'give', label: 'Give piece', hint: 'Click a connected piece: all of it follows this joint rigidly' },
  ],
  regions: [
    pose,
    { name: 'pick', label: 'Pick', hint: 'Stroke over the skin; two clicks on an edge pick its loop' },
    { name: 'take', label: 'Take away', hint: 'Strokes and loops are no longer picked' },
    { name: 'piece', label: 'Pick piece', hint: 'Click a connected piece' },
  ],
  joints: [pose, { name: 'place', label: 'Move joints', hint: 'Drag joints; with Shift to the middle of the limb' },
    { name: 'make', label: 'Make joints', hint: 'Click where the next joint goes, under the chosen one' }],
}
const shown = computed(() => (character.figure?.joints.length ? choices[tools.bindTab] : character.flat && tools.bindTab === 'joints' ? choices.joints : []))
const map = computed(() => {
  const stops = [0, 0.25, 0.5, 0.75, 1].map((w) => `#${weightColour(w).getHexString()}`)
  return `linear-gradient(90deg, ${stops.join(', ')})`
})
const volume = computed(() => live.frame?.region_volume)
</script>

<template>
  <div v-if="shown.length" class="rail rail-buttons" role="radiogroup" aria-label="Pointer">
    <button v-for="m in shown" :key="m.label" role="radio" :aria-checked="tools.tool === m.name" :class="{ on: tools.tool === m.name }" :title="m.hint" v-off="character.sculpting ? 'A sculpt is in progress in Mend: keep or drop it first.' : ''" @click="tools.tool = m.name">{{ m.label }}</button>
  </div>
  <BrushRow v-if="shown.length && !character.sculpting" v-model="tools.tool" :choices="shown" />
  <BrushNumbers v-if="tools.painting || tools.picking">
    <label v-if="tools.tool === 'replace'">value <el-slider v-model="tools.paintValue" :min="0" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Value" /><b class="num">{{ tools.paintValue.toFixed(2) }}</b></label>
    <el-checkbox v-model="tools.mirrored" label="mirrored" size="small" />
  </BrushNumbers>
  <div v-if="looks.shading === 'weights' && posing.chosen && tools.bindTab !== 'regions'" class="map">
    <span>{{ plainName(posing.chosen) }}</span><i class="num">0</i><span class="bar" :style="{ background: map }" /><i class="num">1</i>
  </div>
  <div v-else-if="tools.bindTab === 'regions' && tools.picked" class="map" role="status">
    <span>picked</span><b class="num">{{ tools.picked }}</b>
    <template v-if="volume != null"><span>volume</span><b class="num">{{ volume.toFixed(1) }} %</b></template>
  </div>
</template>

<style scoped>
.rail { top: 12px; }
.map { position: absolute; right: 12px; bottom: 12px; display: flex; gap: 7px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 5px 9px; font-size: 12px; }
.map i { font-style: normal; color: var(--muted); }
.map .bar { width: 110px; height: 9px; border-radius: 2px; }
</style>
