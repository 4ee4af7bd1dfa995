<script setup lang="ts">
/** Bind: weights by themselves, by the brush, and what is wrong with them. */
import { onBeforeUnmount, onMounted, ref } from 'vue'
import BendStrip from '@/bend-strip/BendStrip.vue'
import BodyMap from '@/body-map/BodyMap.vue'
import PoseList from '@/body-map/PoseList.vue'
import FigureView from '@/view/FigureView.vue'
import PartsMenu from '@/view/PartsMenu.vue'
import { usePlainKeys } from '@/workbench/keys'
import { useWorkbench, type Shading } from '@/workbench/store'
import PaintRail from './PaintRail.vue'
import WeightsPanel from './WeightsPanel.vue'

const bench = useWorkbench()
const view = ref<InstanceType<typeof FigureView>>()
const shadings: { name: Shading; label: string }[] = [
  { name: 'weights', label: 'Weights' },
  { name: 'colour', label: 'Colour' },
  { name: 'clay', label: 'Clay' },
  { name: 'wire', label: 'Wire' },
  { name: 'volume', label: 'Volume' },
]
usePlainKeys({
  q: bench.toggleRest,
  j: () => (bench.joints = !bench.joints),
  f: () => view.value?.face(),
  a: () => view.value?.faceAll(),
  '[': () => (bench.brushSize = Math.max(0.005, bench.brushSize / 1.1)),
  ']': () => (bench.brushSize = Math.min(0.25, bench.brushSize * 1.1)),
  ',': () => bench.bendTo(bench.angle - 5),
  '.': () => bench.bendTo(bench.angle + 5),
})
onMounted(() => (bench.shading = 'weights'))
onBeforeUnmount(() => {
  bench.paintMode = null
  if (bench.shading === 'weights') bench.shading = 'colour'
})
</script>

<template>
  <div class="bind">
    <aside class="left">
      <BodyMap />
      <PoseList />
    </aside>
    <FigureView ref="view">
      <div class="chips" role="radiogroup" aria-label="Shading">
        <button v-for="s in shadings" :key="s.name" role="radio" :aria-checked="bench.shading === s.name" :class="{ on: bench.shading === s.name }" @click="bench.shading = s.name">{{ s.label }}</button>
      </div>
      <div class="toggles">
        <button :class="{ on: !bench.atRest }" title="Rest pose and back (Q)" @click="bench.toggleRest">{{ bench.atRest ? 'Back to pose' : 'Rest pose' }}</button>
        <button :class="{ on: bench.joints }" :aria-pressed="bench.joints" title="Joints on or off (J)" @click="bench.joints = !bench.joints">Joints</button>
        <PartsMenu v-if="(bench.figure?.parts.length ?? 0) > 1" />
      </div>
      <PaintRail />
    </FigureView>
    <WeightsPanel />
    <BendStrip class="strip" />
  </div>
</template>

<style scoped>
.bind { display: grid; grid-template: minmax(0, 1fr) 196px / 236px minmax(0, 1fr) 300px; height: 100%; min-height: 0; }
.left { background: var(--panel); border-right: 1px solid var(--line); overflow-y: auto; }
.strip { grid-column: 1 / -1; }
.chips, .toggles { position: absolute; right: 12px; display: flex; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; overflow: hidden; font-size: 12px; }
.chips { top: 12px; }
.toggles { top: 46px; }
.chips button, .toggles :deep(button) { border: 0; background: none; color: var(--muted); font: inherit; padding: 4px 10px; border-right: 1px solid var(--line); cursor: pointer; }
.chips button:last-child, .toggles :deep(button:last-child) { border: 0; }
.chips .on, .toggles :deep(.on) { background: var(--raised); color: var(--text); }
</style>
