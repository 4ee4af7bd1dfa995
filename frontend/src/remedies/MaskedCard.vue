<script setup lang="ts">
/** The card of what acts under a mask: skin blend, relaxer, volume keeper. */
import { computed } from 'vue'
import { api, type RemedyCard, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import BakeButton from './BakeButton.vue'
import RemedyFrame from './RemedyFrame.vue'
import StoredSlider from './StoredSlider.vue'
import TiedTo from './TiedTo.vue'
import { kindNames } from './kinds'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const locked = computed(() => character.sculpting !== null)
const tells: Record<string, string> = {
  skin_blend: 'dual quaternion skinning under its mask, linear elsewhere',
  relaxer: 'evens out the posed skin under its mask and puts the rest detail back',
  volume_keeper: 'holds the volume of what lies under its mask',
}
const change = (body: Schemas['BodyChange']) => character.edit((c) => api.setBody(c, props.remedy.id, body))
const mask = (how: Schemas['MaskChange']['how']) => character.edit((c) => api.setMask(c, props.remedy.id, how))
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
    <template #tells><p class="sentence"><b>{{ kindNames[remedy.kind] }}</b>: {{ tells[remedy.kind] }}.</p><TiedTo :remedy="remedy" /></template>
    <template #edits>
      <label v-if="remedy.kind === 'relaxer'">Steps
        <StoredSlider :value="remedy.numbers.steps ?? 10" :min="1" :max="60" unit="steps" label="Steps of smoothing" @change="(v) => change({ steps: v })" />
      </label>
      <template v-if="remedy.kind === 'volume_keeper'">
        <label>Keeps
          <StoredSlider :value="Math.round((remedy.numbers.share ?? 1) * 100)" :min="50" :max="150" unit="% of rest" label="Volume that is kept, percent of rest" @change="(v) => change({ share: v / 100 })" />
        </label>
        <label>At most
          <el-input-number :model-value="Math.round((remedy.numbers.most ?? 0) * 1000) / 10" size="small" :min="0.1" :max="1000" :step="0.5" aria-label="How far the skin may go, centimetres" @change="(v: number | undefined) => v && change({ most: v / 100 })" />
        </label>
      </template>
    </template>
    <template #ends>
      <BakeButton :remedy="remedy" />
      <el-button size="small" :disabled="locked" title="The skin that is picked becomes the mask" @click="mask('picked')">Mask from what is picked</el-button>
      <el-button size="small" :disabled="locked" @click="mask('soften')">Soften</el-button>
      <el-button size="small" :disabled="locked" title="Pick what lies under the mask, to see and to paint it in Bind" @click="mask('pick')">Pick the mask</el-button>
    </template>
  </RemedyFrame>
</template>

<style scoped>
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 4px 8px 2px 0; font-size: 12px; color: var(--muted); }
</style>
