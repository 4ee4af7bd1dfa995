<script setup lang="ts">
/** The card of a helper joint: which joint it turns or moves, and the rules that say where it goes. */
import { computed } from 'vue'
import { api, type Axis, type RemedyCard } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useLengths } from '@/workbench/lengths'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'
import BakeButton from './BakeButton.vue'
import HelperRule from './HelperRule.vue'
import MaskButton from './MaskButton.vue'
import RemedyFrame from './RemedyFrame.vue'
import TiedTo from './TiedTo.vue'
import TieSelect from './TieSelect.vue'
import { fresh, told, type Rule } from './helperRules'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const lengths = useLengths()
const live = useLive()
const posing = usePose()
const rules = computed(() => (props.remedy.numbers.rules ?? []) as Rule[])
const value = (id: string) => character.state?.values.find((v) => v.id === id)?.name ?? 'a value'
const tells = (r: Rule) => told(r, value, lengths.told)
const store = (all: Rule[]) => character.edit((c) => api.setBody(c, props.remedy.id, { rules: all }))
const changed = (index: number, rule: Rule) => rules.value.map((r, k) => (k === index ? rule : r))
const preview = (index: number, rule: Rule) => (live.body = { remedy_id: props.remedy.id, body: { rules: changed(index, rule) } })
const drop = (index: number) => store(rules.value.filter((_, k) => k !== index))

const above = computed(() => {
  const own = character.figure?.joints.find((j) => j.name === posing.chosen)
  return character.figure?.joints.find((j) => j.index === own?.parent)?.name ?? posing.chosen
})
function add(kind: string): void {
  const at = { joint: posing.chosen, axis: [...posing.axis] as Axis, angle: posing.angle, parent: above.value, value: character.state?.values[0]?.id ?? null, along: (character.flat ? [0, 1, 0] : [0, 0, 1]) as Axis, step: lengths.step() }
  const rule = fresh[kind].make(at)
  if (rule) void store([...rules.value, rule])
}
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon><svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true"><circle cx="5" cy="13" r="2.4" fill="none" stroke="currentColor" stroke-width="2" /><path d="M7 11L14 4" stroke="currentColor" stroke-width="2" /></svg></template>
    <template #tells>
      <p class="sentence"><b>{{ plainName(remedy.driven ?? '') }}</b>, a helper joint.</p>
      <p v-if="remedy.masked === 0" class="sentence warn">No skin follows it: its mask is empty.
        <el-button size="small" :disabled="!posing.chosen" @click="character.edit((c) => api.setMask(c, remedy.id, 'joint', posing.chosen))">Mask this joint</el-button>
      </p>
      <p v-for="(r, k) in rules" :key="k" class="sentence">{{ tells(r) }}</p>
      <TiedTo v-if="remedy.by" :remedy="remedy" />
    </template>
    <template #edits>
      <div v-for="(r, k) in rules" :key="k" class="rule">
        <p class="what">{{ fresh[r.kind ?? 'share'].label }}</p>
        <HelperRule :rule="r" :joint="remedy.driven" @input="(rule) => preview(k, rule)" @change="(rule) => store(changed(k, rule))" />
        <el-button v-if="rules.length > 1" size="small" text :aria-label="`Remove the rule: ${tells(r)}`" @click="drop(k)">Remove this rule</el-button>
      </div>
      <el-dropdown trigger="click" class="adds" @command="add">
        <el-button size="small">Add a rule ▾</el-button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item v-for="(f, kind) in fresh" :key="kind" :command="kind" :disabled="kind === 'push' && !character.state?.values.length">{{ f.label }}</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
      <TieSelect :remedy="remedy" />
    </template>
    <template #ends><MaskButton v-if="remedy.masked != null" :remedy="remedy" /><BakeButton :remedy="remedy" /></template>
  </RemedyFrame>
</template>

<style scoped>
.rule { margin-top: 8px; font-size: 12px; color: var(--muted); border-left: 2px solid var(--line); padding-left: 8px; }
.what { color: var(--text); font-size: 12px; }
.adds { margin-top: 8px; }
</style>
