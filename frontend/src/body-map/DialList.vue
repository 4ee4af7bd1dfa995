<script setup lang="ts">
/** The dials: named values that are set by hand, each with its limits. */
import { ref, useTemplateRef, watch } from 'vue'
import { api, type DialRule } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import DialTargets from './DialTargets.vue'

const character = useCharacter()
const posing = usePose()
/** The dial whose limits are being set, or a new one. */
const draft = ref<DialRule | null>(null)
// The form is seen whole, however low it begins.
const form = useTemplateRef('form')
watch(form, (shown) => shown?.scrollIntoView({ block: 'end' }), { flush: 'post' })
const stepOf = (d: DialRule) => (d.high - d.low) / 100
const set = (d: DialRule, value: number) => posing.setDial(d.name, Math.abs(value - d.start) < 1e-9 ? null : value)
async function keep(): Promise<void> {
  const made = draft.value!
  const before = character.dials.find((d) => d.id === made.id)
  const set = before && posing.dials[before.name]
  if (!(await character.edit((c) => api.putDial(c, { ...made, name: made.name.trim() })))) return
  // What was set goes on under its new name.
  if (before && set !== undefined && before.name !== made.name.trim()) {
    posing.setDial(before.name, null)
    posing.setDial(made.name.trim(), Math.max(made.low, Math.min(made.high, set)))
  }
  draft.value = null
}
async function remove(): Promise<void> {
  const gone = draft.value!
  posing.setDial(gone.name, null)
  if (await character.edit((c) => api.deleteDial(c, gone.id!))) draft.value = null
}
</script>

<template>
  <section>
    <header><h2>Dials</h2><el-button v-if="!draft" size="small" text :disabled="character.sculpting !== null" @click="draft = { name: '', low: 0, high: 1, start: 0 }">New</el-button></header>
    <div v-for="d in character.dials" :key="d.id!" class="dial">
      <button class="name" title="Name and limits" :disabled="character.sculpting !== null" @click="draft = { ...d }">{{ d.name }}</button>
      <span class="num">{{ Math.round((posing.dials[d.name] ?? d.start) * 100) / 100 }}</span>
      <el-slider :model-value="posing.dials[d.name] ?? d.start" :min="d.low" :max="d.high" :step="stepOf(d)" size="small" :show-tooltip="false" :disabled="character.sculpting !== null" :aria-label="`Dial ${d.name}`" @update:model-value="(v: unknown) => set(d, v as number)" />
    </div>
    <form v-if="draft" ref="form" @submit.prevent="keep">
      <el-input v-model="draft.name" size="small" maxlength="120" placeholder="Name" aria-label="Name of the dial" />
      <label>from <el-input-number v-model="draft.low" size="small" :controls="false" aria-label="Low end of the dial" /></label>
      <label>to <el-input-number v-model="draft.high" size="small" :controls="false" aria-label="High end of the dial" /></label>
      <label>starts <el-input-number v-model="draft.start" size="small" :controls="false" aria-label="Start of the dial" /></label>
      <DialTargets v-if="draft.id" :dial="character.dials.find((d) => d.id === draft!.id) ?? draft" />
      <div class="row">
        <el-button size="small" native-type="submit" type="primary" :disabled="!draft.name.trim()">Keep</el-button>
        <el-button size="small" @click="draft = null">Cancel</el-button>
        <el-button v-if="draft.id" size="small" @click="remove">Delete</el-button>
      </div>
    </form>
  </section>
</template>

<style scoped>
section { border-top: 1px solid var(--line); padding-bottom: 8px; }
header { display: flex; justify-content: space-between; align-items: center; padding: 4px 8px 2px 14px; color: var(--muted); min-height: 30px; }
h2 { font-size: 12px; }
.dial { display: grid; grid-template-columns: 1fr auto; padding: 0 20px 0 14px; font-size: 12.5px; }
.dial .el-slider { grid-column: 1 / 3; height: 22px; }
.name { text-align: left; background: none; border: 0; color: var(--text); font: inherit; cursor: pointer; padding: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
form { display: grid; grid-template-columns: 1fr 1fr 1fr; gap: 4px 6px; padding: 4px 12px 0 14px; font-size: 12px; color: var(--muted); }
form .el-input, .row { grid-column: 1 / 4; }
form .el-input-number { width: 100%; }
.row { display: flex; gap: 6px; }
.row .el-button { margin: 0; }
</style>
