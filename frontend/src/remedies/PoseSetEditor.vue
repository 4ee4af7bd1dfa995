<script setup lang="ts">
/** Stored poses round some joints: which there are, how near each is, and where their weights lie. */
import { computed, ref, watch } from 'vue'
import { api, type Joints, type PoseSet, type Quaternion } from '@/api/client'
import { plainName } from '@/workbench/angles'
import JointSelect from '@/workbench/JointSelect.vue'
import { say, useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'
import PoseMap from './PoseMap.vue'
import StoredSlider from './StoredSlider.vue'
import { useTriggers } from './useTriggers'

const props = defineProps<{ trigger: PoseSet; /** The stored pose that switches this remedy on. */ value?: string }>()
const emit = defineEmits<{ change: [trigger: PoseSet, value?: string] }>()
const character = useCharacter()
const posing = usePose()
const live = useLive()
const triggers = useTriggers()
type By = PoseSet['poses'][number]['by']
const words: Record<By, string> = { swing: 'bend without roll', twist: 'roll', both: 'both' }
/** Whether it is stored: a new one is not, and has no map yet. */
const stored = computed(() => character.state?.remedies.some((r) => r.trigger?.id === props.trigger.id) ?? false)
const others = computed(() => {
  const found = new Map<string, PoseSet>()
  for (const r of character.state?.remedies ?? []) if (r.trigger?.kind === 'pose_set' && r.trigger.id && r.trigger.id !== props.trigger.id) found.set(r.trigger.id, r.trigger)
  return [...found.values()]
})
const joints = computed(() => props.trigger.joints.map((j) => j.joint))
const seen = ref(joints.value[0])
watch(joints, (now) => { if (!now.includes(seen.value)) seen.value = now[0] })

const poseName = (p: PoseSet['poses'][number], k: number) => p.name || `pose ${k + 1}`
const setName = (s: PoseSet) => `${s.joints.map((j) => plainName(j.joint).toLowerCase()).join(', ')}: ${s.poses.map(poseName).join(', ')}`
function go(pose: PoseSet['poses'][number]): void {
  const turned: Joints = {}
  props.trigger.joints.forEach((j, k) => (turned[j.joint] = pose.rotations[k] as Quaternion))
  posing.turnTo(turned)
}
const setBy = (id: string | null | undefined, by: By) => emit('change', { ...props.trigger, poses: props.trigger.poses.map((p) => (p.id === id ? { ...p, by } : p)) })
/** The held pose beside those of this set, or into another set. */
async function store(by: By, set: string | null | undefined): Promise<void> {
  try {
    const grown = await api.storePose(character.id, { pose: posing.pose, by, name: '', set_id: set ?? null, joints: [] })
    emit('change', grown.trigger as PoseSet, stored.value && set === props.trigger.id ? props.value : grown.value)
  } catch (error) {
    say(error)
  }
}
/** Other joints beside, or instead: the pose is stored anew as it is held. */
async function setJoints(names: string[]): Promise<void> {
  if (!names.length) return
  try {
    const own = props.trigger.poses.find((p) => p.id === props.value) ?? props.trigger.poses[0]
    const made = await api.storePose(character.id, { pose: posing.pose, by: own.by, name: own.name, joints: names, set_id: null })
    emit('change', made.trigger as PoseSet, made.value)
  } catch (error) {
    say(error)
  }
}
/** Something else turns a joint of the set: whoever does is what should be read. */
const driven = computed(() => {
  const by = character.state?.remedies.find((r) => r.driven && joints.value.includes(r.driven))
  return by ? { joint: by.driven!, name: by.name, instead: by.joints.filter((j) => j !== by.driven) } : null
})
function preview(degrees: number): void {
  const of = character.state?.remedies.find((r) => r.trigger?.id === props.trigger.id)
  if (of) live.previewTrigger(of.id, { ...props.trigger, radius_deg: degrees })
}
</script>

<template>
  <label v-if="!stored">Round <JointSelect :model-value="joints" multiple size="small" aria-label="Joints of the stored poses" @update:model-value="(names: string[] | undefined) => setJoints(names ?? [])" /></label>
  <p v-else class="sentence">Near to a stored pose of <b>{{ joints.map((j) => plainName(j).toLowerCase()).join(', ') }}</b>; rest is always among them.</p>
  <p v-if="driven" class="sentence warn">“{{ driven.joint }}” is turned by “{{ driven.name }}”.
    <el-button v-if="!stored && driven.instead.length" size="small" @click="setJoints(driven.instead)">Read {{ plainName(driven.instead[0]).toLowerCase() }} instead</el-button>
  </p>
  <label v-if="!stored && others.length">Or into
    <el-select :model-value="''" size="small" placeholder="poses that are there …" aria-label="Add the pose to stored ones" @update:model-value="(id: string) => store('swing', id)"><el-option v-for="s in others" :key="s.id!" :value="s.id!" :label="setName(s)" /></el-select>
  </label>
  <div v-for="(p, k) in trigger.poses" :key="p.id ?? k" class="pose" :class="{ own: p.id === value }">
    <span class="name" :title="p.id === value ? 'Switches this remedy on' : ''">{{ poseName(p, k) }}</span>
    <i><b :style="{ width: `${100 * triggers.valueNow(p.id ?? '')}%` }" /></i>
    <span class="num">{{ stored ? Math.round(100 * triggers.valueNow(p.id ?? '')) : '–' }} %</span>
    <el-select :model-value="p.by" size="small" :aria-label="`What counts for ${poseName(p, k)}`" @update:model-value="(by: By) => setBy(p.id, by)"><el-option v-for="(word, by) in words" :key="by" :value="by" :label="word" /></el-select>
    <span class="ends">
      <el-button size="small" text :disabled="character.sculpting !== null" @click="go(p)">Go</el-button>
      <el-button v-if="stored && p.id !== value" size="small" text @click="emit('change', trigger, p.id!)" title="Let this pose switch the remedy on">Take</el-button>
      <el-button v-if="stored && trigger.poses.length > 1" size="small" text :aria-label="`Delete ${poseName(p, k)}`" @click="character.edit((c) => api.deletePose(c, trigger.id!, p.id!))">×</el-button>
    </span>
  </div>
  <label>Radius <StoredSlider :value="Math.round(trigger.radius_deg)" :min="5" :max="120" unit="°" label="Radius of the poses" @input="preview" @change="(degrees: number) => emit('change', { ...trigger, radius_deg: degrees })" /></label>
  <div v-if="stored" class="add">
    <span>Add the held pose by</span>
    <el-button v-for="(word, by) in words" :key="by" size="small" :disabled="posing.atRest || character.sculpting !== null" @click="store(by, trigger.id)">{{ word }}</el-button>
  </div>
  <template v-if="stored && !character.sculpting">
    <label v-if="joints.length > 1">Seen at <el-select v-model="seen" size="small" aria-label="Joint of the map"><el-option v-for="j in joints" :key="j" :value="j" :label="plainName(j)" /></el-select></label>
    <PoseMap :trigger="trigger" :joint="seen" :value="value" />
  </template>
</template>

<style scoped>
label { display: grid; grid-template-columns: 52px 1fr; align-items: center; margin: 4px 8px 4px 0; font-size: 12px; color: var(--muted); }
.sentence { color: var(--muted); font-size: 12.5px; margin: 4px 0; }
.sentence b { color: var(--text); }
.warn { color: var(--warn); }
.pose { display: grid; grid-template-columns: 1fr 48px 38px; gap: 2px 6px; align-items: center; padding: 4px 6px; border-left: 3px solid transparent; font-size: 12px; }
.pose.own { border-left-color: var(--accent); }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.num { text-align: right; color: var(--muted); }
.pose i { height: 4px; background: var(--ground); border-radius: 2px; overflow: hidden; }
.pose i b { display: block; height: 100%; background: var(--accent); }
.pose .el-select { grid-column: 1; }
.ends { grid-column: 2 / 4; display: flex; justify-content: flex-end; }
.ends .el-button { margin: 0; padding: 0 5px; }
.add { display: flex; flex-wrap: wrap; gap: 4px; align-items: center; font-size: 12px; color: var(--muted); margin-top: 4px; }
.add span { flex-basis: 100%; }
.add .el-button { margin: 0; }
</style>
