<script setup lang="ts">
/** The card of a helper joint: which joint it turns, and which share of whose rotation it takes. */
import { api, type RemedyCard, type Schemas } from '@/api/client'
import { axisName, plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import RemedyFrame from './RemedyFrame.vue'
import StoredSlider from './StoredSlider.vue'
import TiedTo from './TiedTo.vue'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
type Rule = Required<Schemas['ShareRule']>
const parts: Record<string, string> = { all: 'rotation', swing: 'bend', twist: 'roll' }
const rules = () => (props.remedy.numbers.rules ?? []) as Rule[]
const change = (index: number, change: Partial<Rule>) =>
  character.edit((c) => api.setBody(c, props.remedy.id, { rules: rules().map((r, k) => (k === index ? { ...r, ...change } : r)) }))
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon><svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true"><circle cx="5" cy="13" r="2.4" fill="none" stroke="currentColor" stroke-width="2" /><path d="M7 11L14 4" stroke="currentColor" stroke-width="2" /></svg></template>
    <template #tells>
      <p v-for="(r, k) in rules()" :key="k" class="sentence">
        <b>{{ plainName(remedy.driven ?? '') }}</b> takes <b class="num">{{ Math.round(r.share * 100) }} %</b> of the {{ parts[r.part] }} of <b>{{ plainName(r.joint).toLowerCase() }}</b>.
      </p>
      <TiedTo v-if="remedy.by" :remedy="remedy" />
    </template>
    <template #edits>
      <div v-for="(r, k) in rules()" :key="k" class="rule">
        <label>Share
          <StoredSlider :value="Math.round(r.share * 100)" :min="-150" :max="150" :label="`Share of ${plainName(r.joint).toLowerCase()}`" @change="(v) => change(k, { share: v / 100 })" />
        </label>
        <label>Of its
          <el-select :model-value="r.part" size="small" aria-label="Part of the rotation" @update:model-value="(part: Rule['part']) => change(k, { part })">
            <el-option value="all" label="whole rotation" /><el-option value="swing" label="bend without roll" /><el-option value="twist" :label="`roll about ${axisName(r.axis)}`" />
          </el-select>
        </label>
      </div>
    </template>
  </RemedyFrame>
</template>

<style scoped>
.rule { margin-top: 8px; font-size: 12px; color: var(--muted); }
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 2px 8px 2px 0; }
</style>
