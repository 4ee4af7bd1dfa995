<script setup lang="ts">
/** The card of a corrective shape. */
import { ElMessageBox } from 'element-plus'
import { computed } from 'vue'
import { api, type HingeTrigger, type RemedyCard } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useWorkbench } from '@/workbench/store'
import TriggerEditor from './TriggerEditor.vue'

const props = defineProps<{ remedy: RemedyCard }>()
const bench = useWorkbench()
const open = computed(() => bench.chosenRemedy === props.remedy.id)
const activation = computed(() => bench.frame?.activations[props.remedy.id] ?? 0)
const degrees = (value: number | null | undefined) => `${Math.round(value ?? 0)}°`
const back = computed(() => {
  const mm = (props.remedy.report.round_trip_error_m ?? 0) * 1000
  return mm < 0.001 ? 'under 0.001 mm' : `${mm.toFixed(3)} mm`
})
const locked = computed(() => bench.sculpting !== null)

const change = (trigger: HingeTrigger | null) => bench.edit((c) => api.setTrigger(c, props.remedy.id, trigger))
const turn = (on: boolean) => bench.edit((c) => api.changeRemedy(c, props.remedy.id, { on }))
const setAmount = (percent: number | number[]) => bench.edit((c) => api.changeRemedy(c, props.remedy.id, { amount: (percent as number) / 100 }))
const toggleAlone = () => (bench.alone = bench.alone === props.remedy.id ? null : props.remedy.id)

async function rename(): Promise<void> {
  try {
    const { value } = await ElMessageBox.prompt('What is this corrective called?', 'Rename', { inputValue: props.remedy.name, confirmButtonText: 'Rename' })
    await bench.edit((c) => api.changeRemedy(c, props.remedy.id, { name: value }))
  } catch {
    // Closed without a new name.
  }
}
/** Tie a shape that lost its trigger to the bend that is shown now. */
async function tieHere(): Promise<void> {
  try {
    const knots = await api.preset(bench.id, 'late', 0, Math.round(bench.angle * 10) / 10)
    await change({ kind: 'hinge', joint: bench.chosen, axis: [...bench.axis], knots })
  } catch (error) {
    bench.say(error)
  }
}
</script>

<template>
  <article class="card" :class="{ on: open, off: !remedy.on }" :data-remedy="remedy.id">
    <button class="title" :aria-expanded="open" @click="bench.chooseRemedy(remedy.id)">
      <svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true"><path d="M2 13C5 13 6 4 9 4s4 9 7 9" fill="none" stroke="currentColor" stroke-width="2" /></svg>
      <span class="name">{{ remedy.name }}</span>
      <span class="num share">{{ Math.round(activation * 100) }} %</span>
    </button>
    <div class="bar" role="meter" :aria-label="`Activation of ${remedy.name}`" :aria-valuenow="Math.round(activation * 100)" aria-valuemin="0" aria-valuemax="100"><i :style="{ width: `${activation * 100}%` }" /></div>
    <p v-if="remedy.trigger" class="sentence">
      Fully on when <b>{{ plainName(remedy.trigger.joint).toLowerCase() }}</b> is at <b>{{ degrees(remedy.trigger.end_deg) }}</b>, from <b>{{ degrees(remedy.trigger.start_deg) }}</b>.
    </p>
    <p v-else class="sentence warn">Not tied to a joint, so it never switches on.
      <el-button size="small" type="primary" :disabled="Math.abs(bench.angle) < 1 || locked" @click="tieHere">Tie to this bend</el-button>
    </p>
    <p v-for="w in remedy.report.warnings" :key="w" class="sentence warn">{{ w }}</p>
    <div class="row">
      <el-button size="small" :disabled="locked" @click="bench.beginSculpt(remedy.id)">Sculpt</el-button>
      <el-button size="small" :type="bench.alone === remedy.id ? 'primary' : ''" :aria-pressed="bench.alone === remedy.id" @click="toggleAlone">Alone</el-button>
      <el-button size="small" :disabled="locked" :aria-pressed="remedy.on" @click="turn(!remedy.on)">{{ remedy.on ? 'On' : 'Off' }}</el-button>
      <template v-if="open">
        <el-button size="small" :disabled="locked" @click="rename">Rename</el-button>
      </template>
    </div>
    <template v-if="open">
      <fieldset :disabled="locked">
        <TriggerEditor v-if="remedy.trigger" :trigger="remedy.trigger" @change="change" />
        <label class="amount">Amount
          <el-slider :model-value="Math.round(remedy.amount * 100)" :max="200" size="small" :format-tooltip="(v: number) => `${v} %`" aria-label="Amount" @change="setAmount" />
        </label>
      </fieldset>
      <dl>
        <dt>Vertices moved</dt><dd class="num">{{ remedy.report.moved }}</dd>
        <dt>Greatest move</dt><dd class="num">{{ ((remedy.report.greatest_move_m ?? 0) * 100).toFixed(1) }} cm</dd>
        <dt>Comes back within</dt><dd class="num">{{ back }}</dd>
      </dl>
      <div class="row">
        <el-button v-if="remedy.trigger" size="small" :disabled="locked" @click="change(null)">Break the tie</el-button>
        <el-button size="small" :disabled="locked" @click="bench.edit((c) => api.deleteRemedy(c, remedy.id))">Delete</el-button>
      </div>
    </template>
  </article>
</template>

<style scoped>
.card { background: var(--raised); border: 1px solid var(--line); border-radius: 5px; padding: 9px 10px 10px; margin-top: 8px; }
.card.on { border-color: #7fd1b988; }
.card.off .bar i { background: #6f6880; }
.title { display: flex; align-items: center; gap: 8px; width: 100%; background: none; border: 0; color: var(--text); font: inherit; font-weight: 600; padding: 0; cursor: pointer; text-align: left; }
.title svg { color: var(--accent); flex: none; }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.share { margin-left: auto; color: var(--muted); font-weight: 400; white-space: nowrap; }
.bar { height: 5px; background: var(--ground); border-radius: 3px; margin: 7px 0 6px; overflow: hidden; }
.bar i { display: block; height: 100%; background: var(--accent); }
.sentence { color: var(--muted); font-size: 12.5px; }
.sentence b { color: var(--text); }
.warn { color: var(--warn); }
.row { display: flex; gap: 6px; margin-top: 9px; flex-wrap: wrap; }
.row .el-button { margin: 0; }
fieldset { border: 0; padding: 0; margin: 0; min-width: 0; }
.amount { display: grid; grid-template-columns: 60px 1fr; align-items: center; font-size: 12px; color: var(--muted); margin: 6px 8px 0 0; }
dl { display: grid; grid-template-columns: 1fr auto; gap: 1px 8px; font-size: 12px; color: var(--muted); margin: 8px 0 0; border-top: 1px solid var(--line); padding-top: 7px; }
dd { margin: 0; color: var(--text); text-align: right; }
</style>
