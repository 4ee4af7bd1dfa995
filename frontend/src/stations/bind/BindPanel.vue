<script setup lang="ts">
/** Bind: joints, weights by themselves and by the brush, picked regions, and what is wrong. */
import { onBeforeUnmount, onMounted, watch } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'
import { useTools } from '@/workbench/tools'
import JointsPanel from './JointsPanel.vue'
import RegionsPanel from './RegionsPanel.vue'
import WeightsPanel from './WeightsPanel.vue'

const character = useCharacter()
const looks = useLook()
const tools = useTools()
const tabs = [
  { value: 'joints', label: 'Joints' },
  { value: 'weights', label: 'Weights' },
  { value: 'regions', label: 'Regions' },
]
onMounted(() => {
  tools.binds = true
  looks.shading = character.figure?.joints.length ? 'weights' : 'colour'
  // Without joints there is one thing to do first.
  if (!character.figure?.joints.length) tools.bindTab = 'joints'
})
onBeforeUnmount(() => {
  tools.binds = false
  tools.tool = 'pose'
  tools.markers = null
  if (looks.showsWeights) looks.shading = 'colour'
})
watch(() => tools.bindTab, () => (tools.tool = 'pose'))
</script>

<template>
  <aside class="panel">
    <el-segmented v-model="tools.bindTab" :options="tabs" block aria-label="What to work on" />
    <JointsPanel v-if="tools.bindTab === 'joints'" />
    <RegionsPanel v-else-if="tools.bindTab === 'regions'" />
    <WeightsPanel v-else />
  </aside>
</template>

<style scoped>
.panel { background: var(--panel); border-left: 1px solid var(--line); padding: 10px 12px; overflow-y: auto; }
.panel > .el-segmented { margin-bottom: 12px; }
.panel :deep(h2) { font-size: 14px; }
.panel :deep(h3) { font-size: 12px; font-weight: 600; color: var(--muted); margin: 16px 0 6px; }
.panel :deep(.hint) { font-size: 12.5px; margin: 6px 0 8px; }
.panel :deep(.row) { display: flex; gap: 8px; align-items: center; flex-wrap: wrap; }
.panel :deep(.row + .row) { margin-top: 6px; }
.panel :deep(.row .el-button) { margin: 0; }
.panel :deep(.grow) { flex: 1; min-width: 0; }
.panel :deep(ul) { list-style: none; margin: 8px 0 0; padding: 0; display: grid; gap: 6px; }
.panel :deep(li) { display: flex; gap: 6px; align-items: center; background: var(--raised); border: 1px solid var(--line); border-radius: 4px; padding: 6px 8px; font-size: 12.5px; }
.panel :deep(li .el-button) { margin: 0; }
.panel :deep(li div) { flex: 1; display: grid; min-width: 0; }
.panel :deep(.fields) { display: grid; grid-template-columns: repeat(3, 1fr); gap: 6px; font-size: 12px; color: var(--muted); }
.panel :deep(.fields .el-input-number) { width: 100%; }
</style>
