<script setup lang="ts">
/** The card of a corrective: what switches it on, its targets, how well it comes back. */
import { computed } from 'vue'
import { api, type HingeTrigger, type RemedyCard } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { say, useCharacter } from '@/workbench/character'
import { useLengths } from '@/workbench/lengths'
import { hingeOf, useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import RemedyFrame from './RemedyFrame.vue'
import TargetList from './TargetList.vue'
import TieSelect from './TieSelect.vue'
import TiedTo from './TiedTo.vue'
import TriggerFields from './TriggerFields.vue'
import { useSetTrigger } from './useSetTrigger'
import { useTriggers, type Tie } from './useTriggers'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const lengths = useLengths()
const posing = usePose()
const mending = useMending()
const triggers = useTriggers()
const hinge = computed(() => hingeOf(props.remedy))
const tie = computed<Tie | null>(() => (props.remedy.trigger ? { trigger: props.remedy.trigger, value: props.remedy.by ?? undefined } : null))
const degrees = (value: number | null | undefined) => `${Math.round(value ?? 0)}°`
const back = computed(() => lengths.small(props.remedy.report.round_trip_error_m ?? 0))
const locked = computed(() => character.sculpting !== null)
const change = useSetTrigger(() => props.remedy)
/** Tie a shape that lost its trigger to the bend that is shown now. */
async function tieHere(): Promise<void> {
  try {
    await change(await triggers.fresh('hinge'))
  } catch (error) {
    say(error)
  }
}
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon><svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true"><path d="M2 13C5 13 6 4 9 4s4 9 7 9" fill="none" stroke="currentColor" stroke-width="2" /></svg></template>
    <template #tells>
      <p v-if="hinge" class="sentence">
        Fully on when <b>{{ plainName(hinge.joint).toLowerCase() }}</b> is at <b>{{ degrees(hinge.end_deg) }}</b>, from <b>{{ degrees(hinge.start_deg) }}</b>.
      </p>
      <TiedTo v-else-if="remedy.by" :remedy="remedy" />
      <p v-else class="sentence warn">Not tied to a joint, so it never switches on.
        <el-button size="small" type="primary" :disabled="Math.abs(posing.angle) < 1 || locked" @click="tieHere">Tie to this bend</el-button>
      </p>
      <p v-if="remedy.targets.length > 1" class="sentence">In-betweens at <b>{{ remedy.targets.slice(0, -1).map((t) => `${Math.round(t.at * 100)} %`).join(', ') }}</b>.</p>
    </template>
    <template #does><el-button size="small" :disabled="locked" @click="mending.beginSculpt(remedy.id)">Sculpt</el-button></template>
    <template #edits>
      <TriggerFields :tie="tie" :name="remedy.name" :fit="(trigger: HingeTrigger) => api.fitRemedy(character.id, remedy.id, trigger)" @change="change" />
      <TieSelect v-if="!remedy.trigger" :remedy="remedy" />
      <TargetList :remedy="remedy" />
    </template>
    <template #numbers>
      <dl>
        <dt>{{ character.flat ? 'Points and handles moved' : 'Vertices moved' }}</dt><dd class="num">{{ remedy.report.moved }}</dd>
        <dt>Greatest move</dt><dd class="num">{{ lengths.told(remedy.report.greatest_move_m ?? 0) }}</dd>
        <dt>Comes back within</dt><dd class="num">{{ back }}</dd>
      </dl>
    </template>
    <template #ends><el-button v-if="remedy.by" size="small" :disabled="locked" @click="character.edit((c) => api.setTrigger(c, remedy.id, null))">Untie</el-button></template>
  </RemedyFrame>
</template>

<style scoped>
dl { display: grid; grid-template-columns: 1fr auto; gap: 1px 8px; font-size: 12px; color: var(--muted); margin: 8px 0 0; border-top: 1px solid var(--line); padding-top: 7px; }
dd { margin: 0; color: var(--text); text-align: right; }
</style>
