<script setup lang="ts">
/** Bind: weights by themselves, by the brush, and what is wrong with them. */
import { onBeforeUnmount, onMounted, ref } from 'vue'
import BendStrip from '@/bend-strip/BendStrip.vue'
import BodyMap from '@/body-map/BodyMap.vue'
import PoseList from '@/body-map/PoseList.vue'
import FigureView from '@/view/FigureView.vue'
import ViewBar from '@/view/ViewBar.vue'
import { useViewKeys } from '@/view/useViewKeys'
import { useWorkbench } from '@/workbench/store'
import PaintRail from './PaintRail.vue'
import WeightsPanel from './WeightsPanel.vue'

const bench = useWorkbench()
const view = ref<InstanceType<typeof FigureView>>()
useViewKeys(view)
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
      <ViewBar :shadings="['weights', 'colour', 'clay', 'wire', 'volume']" />
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
</style>
