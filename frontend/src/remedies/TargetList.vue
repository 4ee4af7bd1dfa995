<script setup lang="ts">
/** The targets of a corrective on its way: go to one, sculpt it, move it, delete it, add one here. */
import { computed } from 'vue'
import { api, type Axis, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { angleOf, hingeOf, roomAt, useMending } from '@/workbench/mending'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const posing = usePose()
const mending = useMending()
const live = useLive()
const locked = computed(() => character.sculpting !== null)
const hinge = computed(() => hingeOf(props.remedy))
const on = computed(() => live.frame?.activations[props.remedy.id] ?? 0)
const rows = computed(() => props.remedy.targets.map((t) => ({ ...t, angle: hinge.value ? angleOf(props.remedy, t.at) : null, here: Math.abs(on.value - t.at) < 0.02 })))
const between = computed(() => props.remedy.by !== null && on.value >= 0.02 && on.value <= 0.98 && !rows.value.some((t) => t.here))
/** The held angle about the axis of the hinge; the strip may run about the same axis the other way round. */
const angle = computed(() => {
  const own = hinge.value
  if (!own || own.joint !== posing.chosen) return null
  return posing.angle * (Math.sign(own.axis[0] * posing.axis[0] + own.axis[1] * posing.axis[1] + own.axis[2] * posing.axis[2]) || 1)
})
const further = computed(() => angle.value !== null && roomAt(props.remedy, angle.value) === 'further')
const room = computed(() => between.value || further.value)
const said = computed(() => (further.value ? 'Sculpt one further on' : 'Sculpt an in-between here'))

function go(target: (typeof rows.value)[number]): void {
  if (hinge.value && target.angle !== null) posing.goTo(hinge.value.joint, hinge.value.axis as Axis, target.angle)
  else posing.take(target.pose)
}
async function sculpt(target: (typeof rows.value)[number]): Promise<void> {
  if (!target.here) go(target)
  await character.edit((c) => api.beginSculpt(c, posing.pose, props.remedy.id))
}
const move = (at: number, percent: number | undefined) => percent !== undefined && Math.abs(percent / 100 - at) > 1e-6 && character.edit((c) => api.retime(c, props.remedy.id, at, percent / 100))
const sculptBetween = () => character.edit((c) => api.beginSculpt(c, posing.pose, props.remedy.id, true))
const solveBetween = () => mending.solving(() => character.edit((c) => api.addBetween(c, props.remedy.id, angle.value!)))
</script>

<template>
  <section>
    <div v-for="t in rows" :key="t.at" class="target" :class="{ here: t.here }">
      <span v-if="t.at === 1" class="at">fully on</span>
      <span v-else class="at"><el-input-number :model-value="Math.round(t.at * 1000) / 10" size="small" :controls="false" :min="2" :max="98" :disabled="locked" :aria-label="`Where the in-between at ${Math.round(t.at * 100)} % lies`" @change="(v: number | undefined) => move(t.at, v)" /> %</span>
      <span class="num">{{ t.angle === null ? '' : `${Math.round(t.angle)}°` }}</span>
      <el-button size="small" text :disabled="locked" @click="go(t)">Go</el-button>
      <el-button size="small" text :disabled="locked" @click="sculpt(t)">Sculpt</el-button>
      <el-button v-if="t.at < 1" size="small" text :disabled="locked" :aria-label="`Delete the in-between at ${Math.round(t.at * 100)} %`" @click="character.edit((c) => api.deleteTarget(c, remedy.id, t.at))">×</el-button>
    </div>
    <div class="row">
      <el-button size="small" v-off="room ? '' : 'Go to where it is partly on, or well beyond where it is fully on.'" :disabled="locked" title="One more target, sculpted by hand as it is here" @click="sculptBetween">{{ said }}</el-button>
      <el-button v-if="hinge && angle !== null" size="small" :loading="mending.busy" v-off="posing.clip ? 'Leave the clip first: it is solved for an angle.' : room ? '' : 'Bend the joint to where it is partly on, or well beyond where it is fully on.'" :disabled="locked" title="One more target, solved for this angle" @click="solveBetween">Solve one</el-button>
      <el-checkbox v-if="rows.length > 1" :model-value="remedy.eased" size="small" :disabled="locked" label="eased between them" @update:model-value="(v: unknown) => character.edit((c) => api.ease(c, remedy.id, Boolean(v)))" />
    </div>
  </section>
</template>

<style scoped>
section { border-top: 1px solid var(--line); margin-top: 8px; padding-top: 5px; font-size: 12px; color: var(--muted); }
.target { display: grid; grid-template-columns: 84px 1fr auto auto 22px; align-items: center; padding-left: 5px; border-left: 3px solid transparent; }
.target.here { border-left-color: var(--accent); color: var(--text); }
.target .el-button { margin: 0; padding: 0 5px; }
.at { display: flex; align-items: center; gap: 4px; }
.at .el-input-number { width: 54px; }
.row { display: flex; flex-wrap: wrap; gap: 6px; margin-top: 5px; align-items: center; }
.row .el-button { margin: 0; }
</style>
