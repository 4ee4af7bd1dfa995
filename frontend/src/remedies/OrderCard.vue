<script setup lang="ts">
/** The card of an order of painting: which part comes in front of which, and from when on. */
import { computed } from 'vue'
import { api, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import RemedyFrame from './RemedyFrame.vue'
import TieSelect from './TieSelect.vue'
import TiedTo from './TiedTo.vue'
import TriggerFields from './TriggerFields.vue'
import { useSetTrigger } from './useSetTrigger'
import type { Tie } from './useTriggers'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const setTrigger = useSetTrigger(() => props.remedy)
const parts = computed(() => character.figure?.parts.map((p) => p.name) ?? [])
const tie = computed<Tie | null>(() => (props.remedy.trigger ? { trigger: props.remedy.trigger, value: props.remedy.by ?? undefined } : null))
const change = (body: { part?: string; other?: string; behind?: boolean }) => character.edit((c) => api.setBody(c, props.remedy.id, body))
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon><svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true"><rect x="2.5" y="2.5" width="9" height="9" rx="1.5" fill="none" stroke="currentColor" stroke-width="1.8" /><rect x="6.5" y="6.5" width="9" height="9" rx="1.5" fill="currentColor" /></svg></template>
    <template #tells>
      <p class="sentence"><b>{{ remedy.numbers.part }}</b> is painted right {{ remedy.numbers.behind ? 'behind' : 'in front of' }} <b>{{ remedy.numbers.other }}</b> while this is half on or more.</p>
      <TiedTo v-if="remedy.by" :remedy="remedy" />
    </template>
    <template #edits>
      <div class="pair">
        <el-select :model-value="remedy.numbers.part" size="small" aria-label="Part" @change="(part: string) => change({ part })"><el-option v-for="p in parts" :key="p" :value="p" :label="p" :disabled="p === remedy.numbers.other" /></el-select>
        <el-select :model-value="remedy.numbers.behind ? 'behind' : 'front'" size="small" aria-label="In front or behind" @change="(how: string) => change({ behind: how === 'behind' })"><el-option value="front" label="in front of" /><el-option value="behind" label="behind" /></el-select>
        <el-select :model-value="remedy.numbers.other" size="small" aria-label="The other part" @change="(other: string) => change({ other })"><el-option v-for="p in parts" :key="p" :value="p" :label="p" :disabled="p === remedy.numbers.part" /></el-select>
      </div>
      <TriggerFields v-if="tie" :tie="tie" :name="remedy.name" @change="setTrigger" />
      <TieSelect v-else :remedy="remedy" />
    </template>
  </RemedyFrame>
</template>

<style scoped>
.pair { display: grid; grid-template-columns: 1fr 92px 1fr; gap: 5px; margin: 8px 0; }
</style>
