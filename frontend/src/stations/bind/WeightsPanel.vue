<script setup lang="ts">
/** The weights of the chosen joint, automatic weights, parts given to it, and what is wrong. */
import { computed, ref, watch } from 'vue'
import { api, Problem, type WeightFinding } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useWorkbench } from '@/workbench/store'
import VertexWeights from './VertexWeights.vue'

const bench = useWorkbench()
const part = ref('')
const findings = ref<WeightFinding[] | null>(null)
const looking = ref(false)
const parts = computed(() => bench.figure?.parts.map((p) => p.name) ?? [])
const isLocked = computed(() => bench.locked.includes(bench.chosen))
const words: Record<WeightFinding['kind'], string> = {
  stray: 'Stray weight',
  over_limit: 'More than 4 joints',
  unmirrored: 'Sides differ',
  hard_step: 'Hard step',
}
/** Where the chosen joint is at rest, centimetres. */
const place = computed(() => {
  const at = bench.state?.places[bench.chosen] ?? bench.jointInfo?.at ?? [0, 0, 0]
  return (at as number[]).map((metres) => Math.round(metres * 1000) / 10)
})
const step = computed(() => Math.max(0.1, Number((0.5 * bench.sizeFactor).toPrecision(1))))
async function moveTo(axis: number, centimetres: number | undefined): Promise<void> {
  if (centimetres === undefined || Math.abs(centimetres - place.value[axis]) < 0.05) return
  const at = [...((bench.state?.places[bench.chosen] ?? bench.jointInfo?.at) as number[])] as [number, number, number]
  at[axis] = centimetres / 100
  await bench.edit((c) => api.moveJoint(c, bench.chosen, at, bench.paintMirrored))
}
function toggleLock(): void {
  bench.locked = isLocked.value ? bench.locked.filter((n) => n !== bench.chosen) : [...bench.locked, bench.chosen]
}
async function look(): Promise<void> {
  looking.value = true
  try {
    findings.value = await api.weightFindings(bench.id)
  } catch (error) {
    bench.say(error instanceof Problem ? error : new Problem('The weights could not be looked through.'))
  } finally {
    looking.value = false
  }
}
async function mend(finding: WeightFinding): Promise<void> {
  if (await bench.edit((c) => api.mendStray(c, finding.joint))) await look()
}
/** A list that no longer fits is worse than none. */
watch(() => bench.state?.version, () => (findings.value = null))
</script>

<template>
  <aside class="panel">
    <h2>Weights of {{ plainName(bench.chosen).toLowerCase() }}</h2>
    <p class="muted hint">Pose the joint where it looks wrong, then paint; every stroke is saved when you lift the pen.</p>
    <div class="row">
      <el-button :type="isLocked ? 'primary' : 'default'" :aria-pressed="isLocked" :disabled="!bench.chosen" @click="toggleLock">{{ isLocked ? 'Locked' : 'Lock' }}</el-button>
      <el-button v-if="bench.locked.length" text @click="bench.locked = []">Unlock all {{ bench.locked.length }}</el-button>
    </div>

    <VertexWeights />

    <h3>Automatic weights</h3>
    <template v-if="bench.binding !== null">
      <el-progress :percentage="Math.round(bench.binding * 100)" :stroke-width="8" />
      <el-button @click="bench.cancelAutomatic()">Cancel</el-button>
    </template>
    <div v-else class="row">
      <el-button type="primary" :disabled="bench.sculpting !== null" @click="bench.automaticWeights(null)">All joints</el-button>
      <el-button :disabled="!bench.chosen || bench.sculpting !== null" @click="bench.automaticWeights([bench.chosen])">Only this joint</el-button>
    </div>

    <h3>Give a part to this joint</h3>
    <div class="row">
      <el-select v-model="part" placeholder="Part" aria-label="Part" class="part"><el-option v-for="p in parts" :key="p" :value="p" :label="p" /></el-select>
      <el-button :disabled="!part || !bench.chosen" @click="bench.edit((c) => api.givePart(c, part, bench.chosen))">Give</el-button>
    </div>

    <h3>Place of the joint at rest, cm</h3>
    <div class="places">
      <label v-for="(word, k) in ['side', 'up', 'front']" :key="word">{{ word }}
        <el-input-number :model-value="place[k]" :step="step" :precision="1" size="small" controls-position="right" :disabled="!bench.chosen || bench.sculpting !== null" :aria-label="`Place of the joint, ${word}`" @change="(value: number | undefined) => moveTo(k, value)" />
      </label>
    </div>
    <p class="muted hint">The skin stays where it is; the pose shows what changes. {{ bench.paintMirrored ? 'The other side moves along.' : '' }}</p>

    <h3>The other side</h3>
    <div class="row">
      <el-button @click="bench.edit((c) => api.mirrorWeights(c, true))">Left to right</el-button>
      <el-button @click="bench.edit((c) => api.mirrorWeights(c, false))">Right to left</el-button>
    </div>

    <h3>What is wrong</h3>
    <el-button :loading="looking" @click="look">Look through the weights</el-button>
    <p v-if="findings?.length === 0" class="good" role="status">Nothing found: no stray weights, no hard steps, both sides alike.</p>
    <ul v-if="findings?.length">
      <li v-for="(f, k) in findings" :key="k" data-finding>
        <div><b>{{ words[f.kind] }}</b><span class="muted">{{ f.joint ? plainName(f.joint) : 'all joints' }}, {{ f.vertices }} {{ f.vertices === 1 ? 'vertex' : 'vertices' }}</span></div>
        <el-button size="small" @click="() => { if (f.joint) bench.chooseJoint(f.joint); bench.showPlace(f.at as [number, number, number]) }">Show</el-button>
        <el-button v-if="f.kind === 'stray'" size="small" @click="mend(f)">Mend</el-button>
        <el-button v-else-if="f.kind === 'unmirrored'" size="small" @click="bench.edit((c) => api.mirrorWeights(c, true))">Mend</el-button>
      </li>
    </ul>
  </aside>
</template>

<style scoped>
.panel { background: var(--panel); border-left: 1px solid var(--line); padding: 10px 12px; overflow-y: auto; }
h2 { font-size: 14px; }
h3 { font-size: 12px; font-weight: 600; color: var(--muted); margin: 16px 0 6px; }
.hint { font-size: 12.5px; margin: 6px 0 8px; }
.row { display: flex; gap: 8px; align-items: center; }
.row .el-button, li .el-button { margin: 0; }
.part { flex: 1; }
.places { display: grid; grid-template-columns: repeat(3, 1fr); gap: 6px; font-size: 12px; color: var(--muted); }
.places .el-input-number { width: 100%; }
.good { color: var(--accent); font-size: 12.5px; }
ul { list-style: none; margin: 8px 0 0; padding: 0; display: grid; gap: 6px; }
li { display: flex; gap: 6px; align-items: center; background: var(--raised); border: 1px solid var(--line); border-radius: 4px; padding: 6px 8px; font-size: 12.5px; }
li div { flex: 1; display: grid; }
</style>
