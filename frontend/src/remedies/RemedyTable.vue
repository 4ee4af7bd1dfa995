<script setup lang="ts">
/** All remedies of the character as a table with live values, and the shapes of its file that can become correctives. */
import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, type RemedyCard } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useLengths } from '@/workbench/lengths'
import { useLive } from '@/workbench/live'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import { kindNames } from './kinds'

const open = defineModel<boolean>()
const character = useCharacter()
const live = useLive()
const mending = useMending()
const posing = usePose()
const lengths = useLengths()
const query = ref('')
const only = ref<'all' | 'acting' | 'wrong' | 'untied'>('all')
const filters = [{ value: 'all', label: 'All' }, { value: 'acting', label: 'Acting now' }, { value: 'wrong', label: 'Something is wrong' }, { value: 'untied', label: 'Not tied' }]

/** How far each remedy moves the skin in this pose: what would be missing without it. */
const moved = ref<Record<string, number>>({})
const subject = computed(() => open.value && JSON.stringify([posing.pose, character.state?.revision]))
const ask = useDebounceFn(async () => {
  const asked = subject.value
  if (!asked) return
  const found = await api.contributions(character.id, posing.pose)
  if (asked === subject.value) moved.value = Object.fromEntries(found.map((c) => [c.id, c.greatest_m]))
}, 200)
watch(subject, ask, { immediate: true })

interface Row { card: RemedyCard; place: number; follows: string; group: string; moved: number; on: number; contribution: number; findings: number }
const follows = (r: RemedyCard) => (r.joints.length ? r.joints.map(plainName).join(', ') : (character.state?.values.find((v) => v.id === r.by)?.name ?? ''))
const rows = computed<Row[]>(() => mending.all.map((card, place) => {
  const on = card.on ? (live.frame?.activations[card.id] ?? 0) : 0
  return {
    card, place, on, follows: follows(card),
    group: character.state?.groups.find((g) => g.id === card.group)?.name ?? '',
    moved: Math.max(0, ...card.targets.map((t) => t.moved), card.masked ?? 0),
    contribution: moved.value[card.id] ?? 0,
    findings: mending.findings.filter((f) => f.remedy_id === card.id).length,
  }
}))
const words = computed(() => query.value.toLowerCase().split(/\s+/).filter(Boolean))
const shown = computed(() => rows.value.filter((r) => {
  const text = `${r.card.name} ${kindNames[r.card.kind]} ${r.follows} ${r.group}`.toLowerCase()
  const fits = words.value.every((w) => text.includes(w))
  return fits && (only.value === 'all' || (only.value === 'acting' ? r.on > 0.005 : only.value === 'wrong' ? r.findings > 0 : !r.card.by && r.card.needs_tie))
}))
/** Shapes of the file that are no corrective yet, by name. */
const fileShapes = computed(() => character.figure?.shapes ?? [])
const chosen = ref<string[]>([])
async function take(): Promise<void> {
  await mending.making((c) => api.takeShapes(c, chosen.value))
  chosen.value = []
}
function go(row: Row): void {
  if (character.sculpting) return
  const joint = row.card.joints[0]
  if (joint) posing.chooseJoint(joint)
  mending.chooseRemedy(row.card.id)
  open.value = false
}
</script>

<template>
  <el-dialog v-model="open" title="All remedies" width="860" append-to-body>
    <div class="tools">
      <el-input v-model="query" size="small" clearable placeholder="Search names, kinds, joints, groups" aria-label="Search remedies" />
      <el-segmented v-model="only" :options="filters" size="small" aria-label="Which remedies" />
      <span class="muted num">{{ shown.length }} of {{ rows.length }}</span>
    </div>
    <el-table :data="shown" size="small" height="46vh" :default-sort="{ prop: 'contribution', order: 'descending' }" :row-key="(r: Row) => r.card.id" empty-text="Nothing fits." @row-click="go">
      <el-table-column prop="card.name" label="Name" sortable min-width="180" show-overflow-tooltip />
      <el-table-column label="Kind" width="110" sortable :sort-by="(r: Row) => kindNames[r.card.kind]"><template #default="{ row }">{{ kindNames[(row as Row).card.kind] }}</template></el-table-column>
      <el-table-column prop="follows" label="Follows" sortable min-width="130" show-overflow-tooltip />
      <el-table-column prop="group" label="Group" sortable width="90" show-overflow-tooltip />
      <el-table-column prop="moved" label="Vertices" sortable width="86" align="right" />
      <el-table-column prop="on" label="On" sortable width="70" align="right"><template #default="{ row }"><span class="num" :class="{ acts: (row as Row).on > 0.005 }">{{ Math.round((row as Row).on * 100) }} %</span></template></el-table-column>
      <el-table-column prop="contribution" label="Moves" sortable width="84" align="right"><template #default="{ row }"><span class="num">{{ (row as Row).contribution > (character.flat ? 0.05 : 5e-6) ? lengths.small((row as Row).contribution) : '' }}</span></template></el-table-column>
      <el-table-column label="" width="36" align="center"><template #default="{ row }"><span v-if="(row as Row).findings" class="wrong" :title="mending.findings.filter((f) => f.remedy_id === (row as Row).card.id).map((f) => f.text).join(' ')">!</span></template></el-table-column>
    </el-table>
    <div v-if="fileShapes.length" class="tools file">
      <el-select v-model="chosen" multiple collapse-tags filterable size="small" :placeholder="`${fileShapes.length} shapes came with the file …`" aria-label="Shapes of the file"><el-option v-for="s in fileShapes" :key="s" :value="s" :label="s" /></el-select>
      <el-button size="small" :disabled="!chosen.length || character.sculpting !== null" @click="take">Make correctives of them</el-button>
    </div>
  </el-dialog>
</template>

<style scoped>
.tools { display: flex; gap: 10px; align-items: center; margin-bottom: 8px; }
.tools .el-input { width: 260px; }
.file { margin: 10px 0 0; }
.file .el-select { width: 320px; }
.acts { color: var(--accent); }
.wrong { color: var(--warn); font-weight: 600; }
:deep(.el-table__row) { cursor: pointer; }
</style>
