<script setup lang="ts">
/** Mend: bend, sculpt in the pose, tie, compare. */
import { onKeyStroke } from '@vueuse/core'
import { ref } from 'vue'
import BendStrip from '@/bend-strip/BendStrip.vue'
import BodyMap from '@/body-map/BodyMap.vue'
import PoseList from '@/body-map/PoseList.vue'
import RemediesPanel from '@/remedies/RemediesPanel.vue'
import BrushRail from '@/sculpt/BrushRail.vue'
import FigureView from '@/view/FigureView.vue'
import ViewBar from '@/view/ViewBar.vue'
import { useViewKeys } from '@/view/useViewKeys'
import { isTyping } from '@/workbench/keys'
import { useWorkbench } from '@/workbench/store'

const bench = useWorkbench()
const view = ref<InstanceType<typeof FigureView>>()
const plain = (event: KeyboardEvent) => !isTyping(event) && !event.ctrlKey && !event.metaKey && !event.altKey
useViewKeys(view, { w: () => (bench.wipe = !bench.wipe) })
onKeyStroke(' ', (event) => {
  if (!plain(event) || event.target instanceof HTMLButtonElement) return
  event.preventDefault()
  bench.holding = true
})
onKeyStroke(' ', () => (bench.holding = false), { eventName: 'keyup' })
/** A button clicked with the pointer gives the focus back, so that Space stays the key for "without". */
const letGo = (event: MouseEvent) => {
  if (event.detail > 0 && document.activeElement instanceof HTMLButtonElement) document.activeElement.blur()
}
const percent = (value: number | null | undefined) => (value == null ? '–' : `${value.toFixed(1)} %`)
</script>

<template>
  <div class="station" @click="letGo">
    <aside class="left">
      <BodyMap />
      <PoseList />
    </aside>
    <FigureView ref="view">
      <ViewBar :shadings="['colour', 'clay', 'wire', 'volume']">
        <button :class="{ on: bench.wipe }" :aria-pressed="bench.wipe" title="Wipe on or off (W)" @click="bench.wipe = !bench.wipe">Wipe</button>
        <button :class="{ on: bench.holding }" title="Hold to see without remedies (hold Space)" @pointerdown="bench.holding = true" @pointerup="bench.holding = false" @pointerleave="bench.holding = false">Without</button>
      </ViewBar>
      <BrushRail v-if="bench.sculpting" />
      <table v-if="bench.frame?.measures" class="measures">
        <thead><tr><td /><th>without</th><th>with</th></tr></thead>
        <tbody class="num">
          <tr><th>Volume</th><td class="loss">{{ percent(bench.frame.measures.without.volume) }}</td><td class="good" data-volume>{{ percent(bench.frame.measures.with.volume) }}</td></tr>
          <tr><th>Least girth</th><td class="loss">{{ percent(bench.frame.measures.without.girth) }}</td><td class="good">{{ percent(bench.frame.measures.with.girth) }}</td></tr>
          <tr><th>New contacts</th><td class="loss">{{ bench.contacts?.without ?? '…' }}</td><td class="good" data-contacts>{{ bench.contacts?.with ?? '…' }}</td></tr>
        </tbody>
      </table>
    </FigureView>
    <RemediesPanel />
    <BendStrip class="strip" />
  </div>
</template>

<style scoped>
.measures { position: absolute; right: 12px; bottom: 12px; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 5px 8px; font-size: 12px; border-spacing: 6px 0; }
.measures th { color: var(--text); font-weight: 500; text-align: left; font-family: 'Next'; }
.measures thead th { color: var(--muted); text-align: right; font-weight: 400; }
.measures td { text-align: right; }
</style>
