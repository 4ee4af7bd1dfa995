<script setup lang="ts">
/** One rule of a helper joint, with its numbers. */
import { computed } from 'vue'
import type { Axis, Schemas } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useLengths } from '@/workbench/lengths'
import AxisSelect from './AxisSelect.vue'
import StoredSlider from './StoredSlider.vue'
import type { Rule } from './helperRules'

type Share = Extract<Rule, { kind?: 'share' }>
const props = defineProps<{ rule: Rule; /** The helper joint that it is of. */ joint?: string | null }>()
const emit = defineEmits<{ change: [rule: Rule]; input: [rule: Rule] }>()
const character = useCharacter()
const lengths = useLengths()
const joints = computed(() => character.figure?.joints.map((j) => j.name) ?? [])
const values = computed(() => character.state?.values ?? [])
const whole = computed(() => props.rule)
const change = (more: object) => emit('change', { ...whole.value, ...more } as Rule)
const preview = (more: object) => emit('input', { ...whole.value, ...more } as Rule)
const knot = (index: number, more: object) => 'knots' in whole.value && change({ knots: whole.value.knots.map((k, i) => (i === index ? { ...k, ...more } : k)) })

/** The chosen axes of a share as letters, and back. */
const OWN: Record<string, Axis> = { X: [1, 0, 0], Y: [0, 1, 0], Z: [0, 0, 1] }
const letters = computed(() => Object.keys(OWN).filter((l) => 'axes' in whole.value && whole.value.axes?.some((a) => Math.abs(a[0] * OWN[l][0] + a[1] * OWN[l][1] + a[2] * OWN[l][2]) > 0.999)))
function choose(chosen: string[]): void {
  if (chosen.length === 3 || chosen.length === 0) change({ part: 'all', axes: undefined })
  else change({ part: 'axes', axes: chosen.map((l) => OWN[l]) })
}
function setPart(part: Share['part']): void {
  change(part === 'axes' ? { part, axes: [OWN.X] } : { part, axes: undefined })
}
const number = (v: number | undefined) => v ?? 0
const stops = computed(() => (props.rule.kind === 'slide' ? (props.rule.knots as Schemas['DistanceKnot'][]) : []))
</script>

<template>
  <template v-if="rule.kind === 'share' || rule.kind === undefined">
    <label>Share <StoredSlider :value="Math.round(rule.share * 100)" :min="-150" :max="150" :label="`Share of ${plainName(rule.joint)}`" @input="(v) => preview({ share: v / 100 })" @change="(v) => change({ share: v / 100 })" /></label>
    <label>Of its
      <el-select :model-value="rule.part" size="small" aria-label="Part of the rotation" @update:model-value="setPart">
        <el-option value="all" label="whole rotation" /><el-option value="swing" label="bend without roll" /><el-option value="twist" label="roll" /><el-option value="axes" label="chosen axes" />
      </el-select>
    </label>
    <label v-if="rule.part === 'axes'">Axes
      <el-checkbox-group :model-value="letters" size="small" aria-label="Axes" @update:model-value="(v: unknown) => choose(v as string[])"><el-checkbox v-for="(_, l) in OWN" :key="l" :value="l" :label="l" /></el-checkbox-group>
    </label>
    <AxisSelect v-else-if="rule.part !== 'all'" :axis="rule.axis ?? [0, 1, 0]" label="About" @change="(axis) => change({ axis })" />
  </template>
  <template v-else-if="rule.kind === 'slide'">
    <AxisSelect :axis="rule.along" label="Along" signed :joint="joint" @change="(along) => change({ along })" />
    <label v-for="(k, i) in stops" :key="i"><span>{{ i === 0 ? 'Stops' : '' }}</span>
      <span class="stop">
        <el-input-number :model-value="Math.round(k.angle_deg * 10) / 10" size="small" :controls="false" :aria-label="`Angle of stop ${i + 1}`" @change="(v: number | undefined) => knot(i, { angle_deg: number(v) })" />°
        <el-input-number :model-value="Math.round(k.metres * lengths.factor() * 100) / 100" size="small" :controls="false" :aria-label="`Centimetres of stop ${i + 1}`" @change="(v: number | undefined) => knot(i, { metres: number(v) / lengths.factor() })" />{{ lengths.unit() }}
      </span>
    </label>
  </template>
  <template v-else-if="rule.kind === 'grow'">
    <label v-for="(k, i) in rule.knots" :key="i"><span>{{ i === 0 ? 'Sizes' : '' }}</span>
      <span class="stop">
        <el-input-number :model-value="Math.round(k.angle_deg * 10) / 10" size="small" :controls="false" :aria-label="`Angle of size ${i + 1}`" @change="(v: number | undefined) => knot(i, { angle_deg: number(v) })" />°
        <el-input-number :model-value="Math.round(k.factor * 100)" size="small" :controls="false" :min="1" :max="10000" :aria-label="`Percent of size ${i + 1}`" @change="(v: number | undefined) => knot(i, { factor: Math.max(number(v), 1) / 100 })" />%
      </span>
    </label>
  </template>
  <template v-else-if="rule.kind === 'limit'">
    <AxisSelect :axis="rule.axis" label="About" @change="(axis) => change({ axis })" />
    <label v-for="side in (['low_deg', 'high_deg'] as const)" :key="side">{{ side === 'low_deg' ? 'Not below' : 'Not above' }}
      <span class="stop">
        <el-input-number :model-value="rule[side] ?? undefined" size="small" :controls="false" placeholder="none" :aria-label="side === 'low_deg' ? 'Lower stop' : 'Upper stop'" :value-on-clear="null" @change="(v: number | undefined | null) => change({ [side]: v ?? null })" />°
      </span>
    </label>
  </template>
  <template v-else-if="rule.kind === 'push'">
    <label>By <el-select :model-value="rule.value" size="small" filterable aria-label="The value that pushes" @update:model-value="(value: string) => change({ value })"><el-option v-for="v in values" :key="v.id" :value="v.id" :label="v.name" /></el-select></label>
    <AxisSelect :axis="rule.along" label="Along" signed :joint="joint" @change="(along) => change({ along })" />
    <label>As far as <span class="stop"><el-input-number :model-value="Math.round(rule.metres * lengths.factor() * 100) / 100" size="small" :controls="false" aria-label="Centimetres of the push" @change="(v: number | undefined) => change({ metres: number(v) / lengths.factor() })" />{{ lengths.unit() }}</span></label>
  </template>
  <template v-else-if="rule.kind === 'anchor'">
    <label>Place of <el-select :model-value="rule.place" size="small" filterable aria-label="The joint that it takes its place from" @update:model-value="(place: string) => change({ place })"><el-option v-for="j in joints" :key="j" :value="j" :label="plainName(j)" /></el-select></label>
    <label>Turn of <el-select :model-value="rule.turn" size="small" filterable aria-label="The joint that it takes its turn from" @update:model-value="(turn: string) => change({ turn })"><el-option v-for="j in joints" :key="j" :value="j" :label="plainName(j)" /></el-select></label>
  </template>
</template>

<style scoped>
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 2px 8px 2px 0; }
.stop { display: flex; gap: 4px; align-items: center; }
.stop .el-input-number { width: 64px; }
.el-checkbox { margin-right: 12px; }
</style>
