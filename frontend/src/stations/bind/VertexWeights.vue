<script setup lang="ts">
/** What one vertex follows, by number. */
import { ref, watch } from 'vue'
import { api, Problem, type VertexWeight } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useWorkbench } from '@/workbench/store'

const bench = useWorkbench()
const rows = ref<VertexWeight[]>([])

watch([() => bench.vertex, () => bench.state?.version], async () => {
  if (bench.vertex === null) return
  try {
    rows.value = await api.vertexWeights(bench.id, bench.vertex)
  } catch (error) {
    bench.say(error instanceof Problem ? error : new Problem('The vertex could not be looked up.'))
  }
}, { immediate: true })

async function set(joint: string, weight: number | undefined): Promise<void> {
  if (weight === undefined || bench.vertex === null) return
  const body = { joint, weight, locked: bench.locked.filter((n) => n !== joint), mirror: bench.paintMirrored }
  await bench.edit((c) => api.setWeight(c, bench.vertex!, body))
}
</script>

<template>
  <h3>One vertex</h3>
  <p v-if="bench.vertex === null" class="muted hint">Hold Alt and click the skin to list what a vertex follows.</p>
  <template v-else>
    <div v-for="row in rows" :key="row.joint" class="row">
      <button class="name" @click="bench.chooseJoint(row.joint)">{{ plainName(row.joint) }}</button>
      <el-input-number :model-value="row.weight" :min="0" :max="1" :step="0.05" :precision="3" size="small" controls-position="right" :aria-label="`Weight of ${plainName(row.joint)}`" @change="(value: number | undefined) => set(row.joint, value)" />
    </div>
    <el-button size="small" text @click="bench.vertex = null">Done with vertex {{ bench.vertex }}</el-button>
  </template>
</template>

<style scoped>
h3 { font-size: 12px; font-weight: 600; color: var(--muted); margin: 16px 0 6px; }
.hint { font-size: 12.5px; margin: 0; }
.row { display: flex; align-items: center; gap: 8px; margin-bottom: 4px; }
.name { flex: 1; text-align: left; background: none; border: 0; color: var(--text); font: inherit; font-size: 12.5px; cursor: pointer; padding: 2px 0; }
.row .el-input-number { width: 104px; }
</style>
