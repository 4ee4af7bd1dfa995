<script setup lang="ts">
/** A hinge trigger as fields: joint, axis, start, end, sign, preset. */
import { computed, ref } from 'vue'
import { api, type Axis, type HingeTrigger, type Knot, type Preset, type Schemas } from '@/api/client'
import { axisName, sameAxis } from '@/workbench/angles'
import JointSelect from '@/workbench/JointSelect.vue'
import { say, useCharacter } from '@/workbench/character'

const props = defineProps<{
  trigger: HingeTrigger
  /** Finds the response that keeps the volume; without it the button is not there. */
  fit?: (trigger: HingeTrigger) => Promise<Schemas['FittedResponse']>
}>()
const emit = defineEmits<{ change: [trigger: HingeTrigger] }>()
const character = useCharacter()
const presets: Preset[] = ['linear', 'ease', 'early', 'late']

/** The angle where it begins and the angle where it is fully on, whichever comes first. */
const start = computed(() => Math.round((props.trigger.start_deg ?? props.trigger.knots[0].angle_deg) * 10) / 10)
const end = computed(() => Math.round((props.trigger.end_deg ?? props.trigger.knots.at(-1)!.angle_deg) * 10) / 10)
const axes = computed<Axis[]>(() => {
  const list: Axis[] = [[1, 0, 0], [0, 1, 0], [0, 0, 1]]
  const own = props.trigger.axis as Axis
  return list.some((a) => sameAxis(a, own)) ? list : [...list, own]
})
const axisIndex = computed(() => axes.value.findIndex((a) => sameAxis(a, props.trigger.axis as Axis)))

/** Move the ends; the knots between keep their share of the way. */
function stretch(from: number, to: number): void {
  if (Math.abs(to - from) < 0.5) return say(new Error('Start and end have to be different angles.'))
  const [a, b] = [start.value, end.value]
  const knots = props.trigger.knots
    .map((k) => ({ angle_deg: from + ((k.angle_deg - a) / (b - a)) * (to - from), value: k.value }))
    .sort((p, q) => p.angle_deg - q.angle_deg)
  emit('change', { ...props.trigger, start_deg: from, end_deg: to, knots })
}
/** Type one knot; an angle stays between its neighbours, so that the curve never folds back. */
function setKnot(index: number, change: Partial<Knot>): void {
  const knots = props.trigger.knots.map((k) => ({ ...k }))
  const knot = { ...knots[index], ...change }
  const before = index > 0 ? knots[index - 1].angle_deg + 0.5 : -180
  const after = index < knots.length - 1 ? knots[index + 1].angle_deg - 0.5 : 180
  knots[index] = { angle_deg: Math.max(before, Math.min(after, knot.angle_deg)), value: knot.value }
  emit('change', { ...props.trigger, knots })
}
/** A knot half way along the longest stretch, on a straight line between its neighbours. */
function addKnot(): void {
  const knots = props.trigger.knots.map((k) => ({ ...k }))
  const gap = (k: number) => knots[k + 1].angle_deg - knots[k].angle_deg
  let widest = 0
  for (let k = 1; k < knots.length - 1; k++) if (gap(k) > gap(widest)) widest = k
  const [a, b] = [knots[widest], knots[widest + 1]]
  knots.splice(widest + 1, 0, { angle_deg: (a.angle_deg + b.angle_deg) / 2, value: (a.value + b.value) / 2 })
  emit('change', { ...props.trigger, knots })
}
const removeKnot = (index: number) => emit('change', { ...props.trigger, knots: props.trigger.knots.filter((_, k) => k !== index) })
async function preset(name: Preset): Promise<void> {
  try {
    emit('change', { ...props.trigger, knots: await api.preset(character.id, name, start.value, end.value) })
  } catch (error) {
    say(error)
  }
}

const fitting = ref(false)
/** What the fitted response comes to, as long as it is the one that is shown. */
const told = ref<{ knots: string; sentence: string } | null>(null)
const shown = computed(() => (told.value?.knots === JSON.stringify(props.trigger.knots) ? told.value.sentence : ''))
async function fitToVolume(): Promise<void> {
  fitting.value = true
  try {
    const fitted = await props.fit!(props.trigger)
    emit('change', fitted.trigger)
    const within = `Keeps the volume within ${fitted.worst.toFixed(1)} % all the way; before it was up to ${fitted.worst_before.toFixed(1)} % off.`
    const between = fitted.between_deg == null ? '' : ` One shape is not enough: sculpt an in-between at ${Math.round(fitted.between_deg)}°.`
    const further = fitted.further_deg == null ? '' : ` Bent on, it is not enough: add a target at ${Math.round(fitted.further_deg)}°.`
    told.value = { knots: JSON.stringify(fitted.trigger.knots), sentence: within + between + further }
  } catch (error) {
    say(error)
  } finally {
    fitting.value = false
  }
}
</script>

<template>
  <div class="fields">
    <label>Joint
      <JointSelect :model-value="trigger.joint" size="small" aria-label="Trigger joint" @update:model-value="(joint: string | undefined) => joint && emit('change', { ...trigger, joint })" />
    </label>
    <label>Axis
      <el-select :model-value="axisIndex" size="small" aria-label="Trigger axis" @update:model-value="(k: number) => emit('change', { ...trigger, axis: [...axes[k]] as Axis })">
        <el-option v-for="(a, k) in axes" :key="k" :value="k" :label="axisName(a)" />
      </el-select>
    </label>
    <label>Start °
      <el-input-number :model-value="start" size="small" :controls="false" :min="-180" :max="180" aria-label="Start in degrees" @change="(v: number | undefined) => stretch(v ?? 0, end)" />
    </label>
    <label>Fully on °
      <el-input-number :model-value="end" size="small" :controls="false" :min="-180" :max="180" aria-label="Fully on in degrees" @change="(v: number | undefined) => stretch(start, v ?? 0)" />
    </label>
    <div class="row">
      <el-button v-for="p in presets" :key="p" size="small" @click="preset(p)">{{ p }}</el-button>
      <el-button v-if="fit" size="small" :loading="fitting" title="The curve that keeps the volume all the way" @click="fitToVolume">Fit to the {{ character.flat ? 'area' : 'volume' }}</el-button>
      <el-button size="small" title="For the joint's other direction" @click="stretch(-start, -end)">Flip sign</el-button>
    </div>
    <p v-if="shown" class="told" role="status">{{ shown }}</p>
    <details>
      <summary>Knots</summary>
      <div v-for="(k, index) in trigger.knots" :key="index" class="knot">
        <el-input-number :model-value="Math.round(k.angle_deg * 10) / 10" size="small" :controls="false" :aria-label="`Angle of knot ${index + 1}`" @change="(v: number | undefined) => setKnot(index, { angle_deg: v ?? 0 })" />
        <span>°</span>
        <el-input-number :model-value="Math.round(k.value * 100) / 100" size="small" :controls="false" :min="0" :max="1" :aria-label="`Value of knot ${index + 1}`" @change="(v: number | undefined) => setKnot(index, { value: v ?? 0 })" />
        <el-button size="small" text :disabled="trigger.knots.length < 3" :aria-label="`Remove knot ${index + 1}`" @click="removeKnot(index)">×</el-button>
      </div>
      <el-button size="small" @click="addKnot">Add a knot</el-button>
    </details>
  </div>
</template>

<style scoped>
.fields { display: grid; grid-template-columns: 1fr 1fr; gap: 6px; margin-top: 8px; font-size: 12px; color: var(--muted); }
label { display: grid; gap: 1px; min-width: 0; }
.el-input-number { width: 100%; }
details { grid-column: 1 / -1; }
summary { cursor: pointer; }
.told { grid-column: 1 / -1; color: var(--accent); font-size: 12px; }
.knot { display: grid; grid-template-columns: 1fr 10px 1fr 30px; gap: 4px; align-items: center; margin: 3px 0; }
.row { grid-column: 1 / -1; display: flex; gap: 4px; flex-wrap: wrap; }
.row .el-button { margin: 0; padding: 4px 7px; }
</style>
