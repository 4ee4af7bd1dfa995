<script setup lang="ts">
/** Which kind of remedy suits the held joint: each is tried and measured, seen at work, and taken. */
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { api, type Schemas } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { say, useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import { kindNames } from './kinds'

const character = useCharacter()
const live = useLive()
const mending = useMending()
const posing = usePose()
const found = ref<Schemas['KindsTried'] | null>(null)
const taking = ref(false)
let running: AbortController | null = null
/** What it was found for: another joint, another version, or another pose before all was tried, makes it old. */
const subject = computed(() => JSON.stringify([posing.chosen, character.state?.revision]))
const asking = computed(() => (found.value?.left ?? 0) > 0)
const best = computed(() => found.value?.kinds.find((k) => k.kind === found.value?.proposed))
const tried = computed(() => (found.value ? found.value.kinds.length / (found.value.kinds.length + found.value.left) : 0))
/** The pose that it was asked in: the one that is seen may go on from there. */
let asked = posing.pose

function forget(): void {
  running?.abort()
  running = found.value = live.trial = null
}
watch(subject, forget)
onBeforeUnmount(forget)

async function ask(): Promise<void> {
  forget()
  const mine = (running = new AbortController())
  asked = posing.pose
  found.value = { now: { kind: 'now', can: true, why: '', contacts: 0 }, kinds: [], proposed: null, left: 1 }
  try {
    await api.whichKind(character.id, asked, posing.chosen, (now) => mine.signal.aborted || (found.value = now), mine.signal)
    // Cancelled among the long work in the header.
    if (running === mine && asking.value) forget()
  } catch (error) {
    if (running === mine) forget()
    say(error)
  }
}
const look = (kind: string) => (live.trial = live.trial === kind ? null : kind)
async function take(kind: string): Promise<void> {
  taking.value = true
  // A corrective is solved and seen first, and says how far it has got meanwhile.
  if (kind === 'corrective') await mending.solveFor(asked, posing.chosen)
  else await mending.making((c) => api.takeKind(c, kind, asked, posing.chosen))
  taking.value = false
}
const percent = (value: number | null | undefined) => (value == null ? '–' : value.toFixed(1))
</script>

<template>
  <div>
    <el-button :loading="asking" v-off="posing.atRest ? 'Bend the joint first: each kind is tried on the way to the pose.' : ''" title="Tries each kind of remedy on this joint and measures what it gives back" @click="ask">Which kind?</el-button>
    <el-button v-if="asking" text @click="forget">Cancel</el-button>
    <section v-if="found" class="kinds" :aria-label="`Kinds of remedy for ${plainName(posing.chosen).toLowerCase()}`">
      <p v-if="asking" class="why" role="status">Trying one kind after the other…
        <el-progress :percentage="Math.round(100 * tried)" :show-text="false" :stroke-width="4" aria-label="How many kinds are tried" />
      </p>
      <div v-else-if="live.trial" class="trial">
        <span><b>{{ kindNames[live.trial] }}</b> is shown, not stored yet. Bend the joint, look at the strip.</span>
        <el-button size="small" type="primary" :loading="taking" @click="take(live.trial)">Take it</el-button>
        <el-button size="small" @click="live.trial = null">Let go</el-button>
      </div>
      <p v-else-if="best" role="status" class="why"><b>{{ kindNames[best.kind] }}.</b> {{ best.why }}</p>
      <p v-else role="status" class="why">No kind betters what there is now.</p>
      <table v-if="found.kinds.length">
        <thead><tr><th scope="col">Tried</th><th scope="col">Volume</th><th scope="col">Girth</th><th scope="col">Contacts</th><th scope="col"><span class="sr">See</span></th></tr></thead>
        <tbody>
          <tr class="now"><th scope="row">Now</th><td class="num">{{ percent(found.now.volume) }}</td><td class="num">{{ percent(found.now.girth) }}</td><td class="num">{{ found.now.contacts }}</td><td /></tr>
          <tr v-for="k in found.kinds" :key="k.kind" :class="{ best: k.kind === found.proposed, seen: live.trial === k.kind }" :title="k.why">
            <th scope="row">{{ kindNames[k.kind] }}</th>
            <template v-if="k.can">
              <td class="num">{{ percent(k.volume) }}</td><td class="num">{{ percent(k.girth) }}</td><td class="num">{{ k.contacts }}</td>
              <td><el-button size="small" :type="k.kind === found.proposed ? 'primary' : ''" :disabled="asking" :aria-pressed="live.trial === k.kind" :aria-label="`${live.trial === k.kind ? 'Seen' : 'Try'} ${kindNames[k.kind].toLowerCase()}`" @click="look(k.kind)">{{ live.trial === k.kind ? 'Seen' : 'Try' }}</el-button></td>
            </template>
            <td v-else colspan="4" class="cannot">{{ k.why }}</td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.kinds { border: 1px solid var(--line); border-radius: 5px; background: var(--raised); padding: 9px 10px; margin-top: 8px; }
.why { font-size: 12.5px; margin-bottom: 6px; }
.why .el-progress { margin-top: 6px; }
table { width: 100%; border-collapse: collapse; font-size: 12px; }
th { text-align: left; font-weight: 400; color: var(--muted); padding: 3px 4px 3px 0; }
td { text-align: right; padding: 2px 0 2px 6px; }
tbody tr { border-top: 1px solid var(--line); }
.best th, .seen th { color: var(--accent); }
.seen { background: #7fd1b914; }
.now td { color: var(--loss); }
.cannot { color: var(--muted); text-align: left; font-size: 11.5px; }
td .el-button { padding: 3px 7px; }
.trial { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; margin-bottom: 6px; font-size: 12.5px; min-height: 58px; }
.trial .el-button { margin: 0; }
.sr { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); }
</style>
