<script setup lang="ts">
/** The card of what acts under a mask: skin blend, relaxer, volume keeper. */
import { computed } from 'vue'
import { api, type RemedyCard, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'
import BakeButton from './BakeButton.vue'
import MaskButton from './MaskButton.vue'
import RemedyFrame from './RemedyFrame.vue'
import StoredSlider from './StoredSlider.vue'
import TiedTo from './TiedTo.vue'
import TieSelect from './TieSelect.vue'
import { kindNames } from './kinds'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const live = useLive()
const posing = usePose()
const locked = computed(() => character.sculpting !== null)
const tells: Record<string, string> = {
  skin_blend: 'dual quaternion skinning under its mask, linear elsewhere',
  relaxer: 'evens out the posed skin under its mask and puts the rest detail back',
  volume_keeper: 'holds the volume of what lies under its mask',
}
const change = (body: Schemas['BodyChange']) => character.edit((c) => api.setBody(c, props.remedy.id, body))
/** What it holds in this frame, and whether its bound stops it short. */
const holds = computed(() => live.frame?.kept[props.remedy.id])
const short = computed(() => holds.value != null && Math.abs(holds.value - 100 * (props.remedy.numbers.share ?? 1)) > 0.5)
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon>
      <svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true">
        <path v-if="remedy.kind === 'skin_blend'" d="M9 3a6 6 0 1 0 0 12z" fill="currentColor" />
        <path v-else-if="remedy.kind === 'relaxer'" d="M2 9h14M2 5c5-3 9 3 14 0M2 13c5 3 9-3 14 0" fill="none" stroke="currentColor" stroke-width="1.6" />
        <path v-else d="M9 2.5a6.5 6.5 0 1 1 0 13a6.5 6.5 0 1 1 0-13M9 6v6M6 9h6" fill="none" stroke="currentColor" stroke-width="1.6" />
      </svg>
    </template>
    <template #tells>
      <p class="sentence"><b>{{ kindNames[remedy.kind] }}</b>: {{ tells[remedy.kind] }}.</p>
      <p v-if="remedy.masked === 0" class="sentence warn">Its mask is empty, so it does nothing.
        <el-button size="small" :disabled="locked || !posing.chosen" @click="character.edit((c) => api.setMask(c, remedy.id, 'joint', posing.chosen))">Mask this joint</el-button>
      </p>
      <template v-else-if="remedy.kind === 'volume_keeper' && remedy.on">
        <p v-if="holds == null" class="sentence warn">What lies under its mask goes round no volume, so it keeps none: fill the mask all round the limb.
          <el-button size="small" :disabled="locked || !posing.chosen" @click="character.edit((c) => api.setMask(c, remedy.id, 'joint', posing.chosen))">Mask this joint</el-button>
        </p>
        <p v-else class="sentence" :class="{ warn: short }">Holds <b class="num">{{ holds.toFixed(1) }} %</b> of rest here<template v-if="short">: the skin may go no further than its bound</template>.</p>
      </template>
      <TiedTo :remedy="remedy" />
    </template>
    <template #edits>
      <label v-if="remedy.kind === 'relaxer'">Steps
        <StoredSlider :value="remedy.numbers.steps ?? 10" :min="1" :max="60" unit="steps" label="Steps of smoothing" @input="(v) => (live.body = { remedy_id: remedy.id, body: { steps: v } })" @change="(v) => change({ steps: v })" />
      </label>
      <template v-if="remedy.kind === 'volume_keeper'">
        <label>Keeps
          <StoredSlider :value="Math.round((remedy.numbers.share ?? 1) * 100)" :min="50" :max="150" unit="% of rest" label="Volume that is kept, percent of rest" @input="(v) => (live.body = { remedy_id: remedy.id, body: { share: v / 100 } })" @change="(v) => change({ share: v / 100 })" />
        </label>
        <label>At most
          <el-input-number :model-value="Math.round((remedy.numbers.most ?? 0) * 1000) / 10" size="small" :min="0.1" :max="1000" :step="0.5" aria-label="How far the skin may go, centimetres" @change="(v: number | undefined) => v && change({ most: v / 100 })" />
        </label>
      </template>
      <TieSelect :remedy="remedy" />
    </template>
    <template #ends>
      <MaskButton :remedy="remedy" />
      <BakeButton :remedy="remedy" />
    </template>
  </RemedyFrame>
</template>

<style scoped>
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 4px 8px 2px 0; font-size: 12px; color: var(--muted); }
</style>
