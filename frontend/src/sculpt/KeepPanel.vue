<script setup lang="ts">
/** Keep or drop the sculpt; Keep proposes the trigger that the pose suggests. */
import { computed, ref } from 'vue'
import { api, type HingeTrigger } from '@/api/client'
import { plainName } from '@/workbench/angles'
import FirstMend from './FirstMend.vue'
import HeldBack from './HeldBack.vue'
import PushApart from './PushApart.vue'
import SculptElsewhere from './SculptElsewhere.vue'
import TriggerFields from '@/remedies/TriggerFields.vue'
import type { Tie } from '@/remedies/useTriggers'
import { say, useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'

const character = useCharacter()
const mending = useMending()
const proposal = ref<Tie | null>(null)
const name = ref('')

async function keep(): Promise<void> {
  const again = character.state?.remedies.find((r) => r.id === character.sculpting?.remedy_id)
  if (again) {
    await character.edit((c) => api.keepSculpt(c, again.name, null))
    return
  }
  try {
    const proposed = await api.proposal(character.id)
    // What was solved for its volume comes with the curve that keeps it on the way.
    const trigger = character.sculpting?.mend ? await api.fitSculpt(character.id, proposed).then((f) => f.trigger, () => proposed) : proposed
    proposal.value = { trigger }
    name.value ||= `${plainName(trigger.joint)} at ${Math.round(trigger.end_deg ?? 0)}°`
  } catch (error) {
    say(error)
  }
}
/** The joint that a mend of a drawing is tied to, as people call it. */
const turns = computed(() => (character.flat && proposal.value?.trigger.kind === 'hinge' ? plainName(proposal.value.trigger.joint) : ''))
async function finish(tie: Tie | null): Promise<void> {
  await mending.making((c) => api.keepSculpt(c, name.value.trim() || 'Corrective', tie?.trigger ?? null, tie?.value))
  if (mending.chosenRemedy) mending.chooseRemedy(mending.chosenRemedy)
}
const drop = () => character.edit((c) => api.dropSculpt(c))
</script>

<template>
  <section class="keep">
    <h2>{{ character.sculpting?.between ? 'Sculpting one more target' : 'Sculpting in the pose' }}</h2>
    <template v-if="!proposal">
      <p class="muted">{{ character.sculpting?.strokes === 1 ? "1 stroke, saved." : `${character.sculpting?.strokes ?? 0} strokes, each one saved.` }} The pose is held until you keep or drop.</p>
      <template v-if="!character.flat"><FirstMend /><PushApart /></template>
      <p v-if="character.sculpting?.hint" class="hint" role="status">{{ character.sculpting.hint }}</p>
      <HeldBack />
      <SculptElsewhere v-if="!character.flat" />
      <div class="row">
        <el-button type="primary" :disabled="!character.sculpting?.strokes" @click="keep">Keep</el-button>
        <el-button @click="drop">Drop</el-button>
      </div>
    </template>
    <template v-else>
      <label>Name <el-input v-model="name" size="small" maxlength="120" aria-label="Name of the corrective" /></label>
      <p class="muted">The pose suggests this trigger{{ turns ? `: ${turns} is the joint that turns. An end that is dragged turns the joints above it, and is none itself.` : ':' }}</p>
      <TriggerFields :tie="proposal" :name="name" :fit="(trigger: HingeTrigger) => api.fitSculpt(character.id, trigger)" @change="proposal = $event" />
      <div class="row">
        <el-button type="primary" @click="finish(proposal)">Keep and tie</el-button>
        <el-button @click="finish(null)">Keep untied</el-button>
        <el-button text @click="proposal = null">Back</el-button>
      </div>
    </template>
  </section>
</template>

<style scoped>
.keep { border: 1px solid #7fd1b988; border-radius: 5px; background: var(--raised); padding: 10px; margin-bottom: 14px; }
h2 { font-size: 14px; margin-bottom: 4px; }
p { font-size: 12.5px; }
.hint { color: var(--warn); }
label { display: grid; gap: 2px; font-size: 12px; color: var(--muted); margin: 6px 0; }
.row { display: flex; gap: 6px; margin-top: 10px; flex-wrap: wrap; }
.row .el-button { margin: 0; }
</style>
