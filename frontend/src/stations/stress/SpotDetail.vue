<script setup lang="ts">
/** A spot that was gone to: what was measured there, and what can be done about it. */
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { measured, measureName } from '@/bend-strip/badness'
import { useCharacter } from '@/workbench/character'
import { useTrouble, type Spot } from '@/workbench/trouble'
import SpotCurve from './SpotCurve.vue'

const props = defineProps<{ spot: Spot }>()
const trouble = useTrouble()
const character = useCharacter()
const router = useRouter()
const reason = ref<string | null>(null)
watch(() => props.spot.id, () => (reason.value = null))
type Measure = Spot['measure']
/** What is out of its rest, the worst first. */
const rows = computed(() => {
  const names = Object.keys(props.spot.with_remedies) as Measure[]
  return names.filter((name) => name === props.spot.measure || Math.max(props.spot.bare[name] ?? 0, props.spot.with_remedies[name] ?? 0) > (name === 'stretch' ? 1.05 : 0.05))
    .sort((a, b) => Number(b === props.spot.measure) - Number(a === props.spot.measure))
})
const begins = computed(() => {
  if (props.spot.onset_deg === null) return ''
  return `Begins at ${Math.round(props.spot.onset_deg)}°.`
})
const said = { file: '', proposed: 'The range is proposed by how the bones lie.', guessed: 'The range is a guess: 90° either way.' }
async function accept(): Promise<void> {
  if (!reason.value?.trim()) return
  await trouble.accept(props.spot, reason.value.trim())
  reason.value = null
}
const mend = () => router.push(`/characters/${character.id}/mend`)
</script>

<template>
  <div class="detail">
    <table>
      <thead><tr><th>{{ spot.part }}</th><th>Without</th><th>With</th></tr></thead>
      <tbody>
        <tr v-for="name in rows" :key="name" :class="{ worst: name === spot.measure }"><th>{{ measureName(name) }}</th><td class="num">{{ measured(name, spot.bare[name] ?? 0) }}</td><td class="num">{{ measured(name, spot.with_remedies[name] ?? 0) }}</td></tr>
      </tbody>
    </table>
    <SpotCurve v-if="spot.kind === 'joint' || spot.kind === 'clip'" :spot="spot" :width="258" :height="54" />
    <p class="muted">{{ begins }} {{ said[spot.range] }} {{ spot.older ? 'Measured on an older version.' : '' }}</p>
    <p v-if="spot.state === 'accepted'">Accepted: {{ spot.reason }}</p>
    <div v-if="reason !== null" class="accept">
      <el-input v-model="reason" size="small" maxlength="400" placeholder="Why it may stay as it is" aria-label="Why it may stay as it is" @keyup.enter="accept" />
      <el-button size="small" type="primary" :disabled="!reason.trim()" @click="accept">Accept</el-button>
      <el-button size="small" @click="reason = null">Cancel</el-button>
    </div>
    <div v-else class="what">
      <el-button size="small" type="primary" @click="mend">Mend it</el-button>
      <el-button v-if="spot.state === 'accepted'" size="small" @click="trouble.reopen(spot)">Open again</el-button>
      <el-button v-else-if="spot.state === 'open'" size="small" @click="reason = ''">Accept…</el-button>
      <span class="muted" title="F faces it from the next of four sides">F: next side</span>
    </div>
  </div>
</template>

<style scoped>
.detail { padding: 2px 14px 10px; display: grid; gap: 6px; background: var(--raised); font-size: 12.5px; }
table { border-collapse: collapse; width: 100%; }
th { text-align: left; font-weight: 400; color: var(--muted); padding: 1px 0; }
thead th:nth-child(n + 2), td { text-align: right; padding-left: 8px; white-space: nowrap; }
.worst th, .worst td { color: var(--text); font-weight: 600; }
p { margin: 0; }
.what, .accept { display: flex; gap: 6px; align-items: center; }
.what .el-button + .el-button, .accept .el-button { margin-left: 0; }
.what .muted { margin-left: auto; font-size: 11.5px; }
</style>
