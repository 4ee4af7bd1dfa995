<script setup lang="ts">
/** The card of a helper joint: which joint it turns or moves, and the rules that say where it goes. */
import { computed } from 'vue'
import { api, type RemedyCard, type Schemas } from '@/api/client'
import { axisName, plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import BakeButton from './BakeButton.vue'
import RemedyFrame from './RemedyFrame.vue'
import StoredSlider from './StoredSlider.vue'
import TiedTo from './TiedTo.vue'

type Rule = NonNullable<Schemas['BodyChange']['rules']>[number]
type Share = Extract<Rule, { kind?: 'share' }>

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const rules = computed(() => (props.remedy.numbers.rules ?? []) as Rule[])
const parts: Record<string, string> = { all: 'rotation', swing: 'bend', twist: 'roll' }
const name = (joint: string) => plainName(joint).toLowerCase()
const value = (id: string) => character.state?.values.find((v) => v.id === id)?.name ?? 'a value'
const set = (index: number, rule: Rule) => character.edit((c) => api.setBody(c, props.remedy.id, { rules: rules.value.map((r, k) => (k === index ? rule : r)) }))
const drop = (index: number) => character.edit((c) => api.setBody(c, props.remedy.id, { rules: rules.value.filter((_, k) => k !== index) }))

/** A rule in a sentence. */
function tells(r: Rule): string {
  switch (r.kind) {
    case 'slide': {
      const far = r.knots.reduce((a, b) => (Math.abs(b.metres) > Math.abs(a.metres) ? b : a))
      return `Slides ${(far.metres * 100).toFixed(1)} cm by ${far.angle_deg.toFixed(0)}° of the ${name(r.joint)}, and stops there.`
    }
    case 'push': return `Is pushed ${(r.metres * 100).toFixed(1)} cm by ${value(r.value)}.`
    case 'grow': {
      const most = r.knots.reduce((a, b) => (Math.abs(b.factor - 1) > Math.abs(a.factor - 1) ? b : a))
      return `Grows to ${Math.round(most.factor * 100)} % by ${most.angle_deg.toFixed(0)}° of the ${name(r.joint)}.`
    }
    case 'limit': return `Turns no further about ${axisName(r.axis)} than ${r.low_deg == null ? '' : `${r.low_deg.toFixed(0)}°`}${r.low_deg != null && r.high_deg != null ? ' to ' : ''}${r.high_deg == null ? '' : `${r.high_deg.toFixed(0)}°`}.`
    case 'anchor': return `Takes its place from the ${name(r.place)}, its turn from the ${name(r.turn)}.`
    default: return `Takes ${Math.round(r.share * 100)} % of the ${parts[r.part ?? 'all']} of the ${name(r.joint)}.`
  }
}
const stop = (r: Extract<Rule, { kind: 'slide' }>, k: number, change: Partial<{ angle_deg: number; metres: number }>) => ({ ...r, knots: r.knots.map((knot, i) => (i === k ? { ...knot, ...change } : knot)) })
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon><svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true"><circle cx="5" cy="13" r="2.4" fill="none" stroke="currentColor" stroke-width="2" /><path d="M7 11L14 4" stroke="currentColor" stroke-width="2" /></svg></template>
    <template #tells>
      <p class="sentence"><b>{{ plainName(remedy.driven ?? '') }}</b>, a helper joint.</p>
      <p v-for="(r, k) in rules" :key="k" class="sentence">{{ tells(r) }}</p>
      <TiedTo v-if="remedy.by" :remedy="remedy" />
    </template>
    <template #edits>
      <div v-for="(r, k) in rules" :key="k" class="rule">
        <template v-if="r.kind === 'share' || r.kind === undefined">
          <label>Share
            <StoredSlider :value="Math.round(r.share * 100)" :min="-150" :max="150" :label="`Share of ${name(r.joint)}`" @change="(v) => set(k, { ...r, share: v / 100 } as Share)" />
          </label>
          <label>Of its
            <el-select :model-value="r.part" size="small" aria-label="Part of the rotation" @update:model-value="(part: Share['part']) => set(k, { ...r, part } as Share)">
              <el-option value="all" label="whole rotation" /><el-option value="swing" label="bend without roll" /><el-option value="twist" :label="`roll about ${axisName(r.axis ?? [0, 1, 0])}`" />
            </el-select>
          </label>
        </template>
        <template v-else-if="r.kind === 'slide'">
          <label v-for="(knot, i) in r.knots" :key="i"><span>{{ i === 0 ? 'Stops' : '' }}</span>
            <span class="stop">
              <el-input-number :model-value="Math.round(knot.angle_deg * 10) / 10" size="small" :controls="false" :aria-label="`Angle of stop ${i + 1}`" @change="(v: number | undefined) => set(k, stop(r, i, { angle_deg: v ?? 0 }))" />°
              <el-input-number :model-value="Math.round(knot.metres * 10000) / 100" size="small" :controls="false" :aria-label="`Centimetres of stop ${i + 1}`" @change="(v: number | undefined) => set(k, stop(r, i, { metres: (v ?? 0) / 100 }))" />cm
            </span>
          </label>
        </template>
        <el-button v-if="rules.length > 1" size="small" text :aria-label="`Remove the rule: ${tells(r)}`" @click="drop(k)">Remove this rule</el-button>
      </div>
    </template>
    <template #ends><BakeButton :remedy="remedy" /></template>
  </RemedyFrame>
</template>

<style scoped>
.rule { margin-top: 8px; font-size: 12px; color: var(--muted); }
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 2px 8px 2px 0; }
.stop { display: flex; gap: 4px; align-items: center; }
.stop .el-input-number { width: 64px; }
</style>
