<script setup lang="ts">
/** What one vertex follows, by number. */
import { ref, watch } from 'vue'
import { api, Problem, type VertexWeight } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useTools } from '@/workbench/tools'
import { say, useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const tools = useTools()
const rows = ref<VertexWeight[]>([])

watch([() => tools.vertex, () => character.state?.version], async () => {
  if (tools.vertex === null) return
  try {
    rows.value = await api.vertexWeights(character.id, tools.vertex)
  } catch (error) {
    say(error instanceof Problem ? error : new Problem('The vertex could not be looked up.'))
  }
}, { immediate: true })

async function set(joint: string, weight: number | undefined): Promise<void> {
  if (weight === undefined || tools.vertex === null) return
  const body = { joint, weight, locked: tools.locked.filter((n) => n !== joint), mirror: tools.mirrored }
  await character.edit((c) => api.setWeight(c, tools.vertex!, body))
}

const copy = () => character.edit((c) => api.copyWeights(c, { target: tools.pickedTarget, from_vertex: tools.vertex }))
</script>

<template>
  <h3>One vertex</h3>
  <p v-if="tools.vertex === null" class="muted hint">Hold Alt and click the skin to list what a vertex follows.</p>
  <template v-else>
    <div v-for="row in rows" :key="row.joint" class="row">
      <button class="name" @click="posing.chooseJoint(row.joint)">{{ plainName(row.joint) }}</button>
      <el-input-number :model-value="row.weight" :min="0" :max="1" :step="0.05" :precision="3" size="small" controls-position="right" :aria-label="`Weight of ${plainName(row.joint)}`" @change="(value: number | undefined) => set(row.joint, value)" />
    </div>
    <div class="row">
      <el-button size="small" :disabled="!tools.picked" title="Let all that is picked follow what this vertex follows" @click="copy">Copy to what is picked</el-button>
      <el-button size="small" text @click="tools.vertex = null">Done with vertex {{ tools.vertex }}</el-button>
    </div>
  </template>
</template>

<style scoped>
h3 { font-size: 12px; font-weight: 600; color: var(--muted); margin: 16px 0 6px; }
.hint { font-size: 12.5px; margin: 0; }
.row { display: flex; align-items: center; gap: 8px; margin-bottom: 4px; }
.name { flex: 1; text-align: left; background: none; border: 0; color: var(--text); font: inherit; font-size: 12.5px; cursor: pointer; padding: 2px 0; }
.row .el-input-number { width: 104px; }
</style>
