<script setup lang="ts">
/** The chosen joint at rest: its name, parent, place, frame, hinge and range; joints made, mirrored and deleted. */
import { computed, onMounted, ref, watch } from 'vue'
import { api, Problem, type Axis, type Point, type RangeInfo } from '@/api/client'
import { axisName, plainName, sameAxis } from '@/workbench/angles'
import JointSelect from '@/workbench/JointSelect.vue'
import { useTools } from '@/workbench/tools'
import { say, useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useWork } from '@/workbench/work'
import { useLengths } from '@/workbench/lengths'
import LaySkeleton from './LaySkeleton.vue'

const character = useCharacter()
const posing = usePose()
const work = useWork()
const tools = useTools()
const lengths = useLengths()
const ranges = ref<RangeInfo[]>([])
const name = ref('')
const twists = ref(2)
const turn = ref<Point>([0, 0, 0])
/** Who still needs the joint that was to be deleted, as a sentence. */
const needed = ref('')
/** Stands for no parent: an empty value would show as nothing chosen. */
const NONE = '\u0000none'
const info = computed(() => posing.jointInfo)
const joints = computed(() => character.figure?.joints ?? [])
const parent = computed(() => joints.value.find((j) => j.index === info.value?.parent)?.name ?? NONE)
const busy = computed(() => !posing.chosen || character.sculpting !== null)
const place = computed(() => (info.value?.at ?? [0, 0, 0]).map((at) => Math.round(at * lengths.factor() * 10) / 10))
const step = computed(() => Math.max(0.1, Number((0.5 * character.sizeFactor).toPrecision(1))))
const axes: { label: string; axis: Axis }[] = ['X', 'Y', 'Z'].flatMap((label, k) =>
  [1, -1].map((sign) => ({ label: sign > 0 ? label : `−${label}`, axis: [0, 1, 2].map((i) => (i === k ? sign : 0)) as Axis })),
)
const hingeAxis = computed(() => {
  const own = info.value?.hinge_axis as Axis | undefined
  const found = own && axes.find((a) => sameAxis(a.axis, own) && a.axis.some((c, i) => c * own[i] > 0.5))
  return found?.label ?? (own ? axisName(own) : '')
})
/** The presets, the one that the joint's name suggests first. */
const sorted = computed(() => {
  const likely = (r: RangeInfo) => Number(r.name === info.value?.likely_range)
  return [...ranges.value].sort((a, b) => likely(b) - likely(a))
})

watch(() => posing.chosen, (now) => {
  name.value = now
  needed.value = ''
  turn.value = [0, 0, 0]
}, { immediate: true })
onMounted(async () => {
  try {
    ranges.value = await api.ranges()
  } catch (error) {
    say(error)
  }
})

async function moveTo(axis: number, told: number | undefined): Promise<void> {
  if (told === undefined || !info.value || Math.abs(told - place.value[axis]) < 0.05) return
  const at = [...info.value.at] as Point
  at[axis] = told / lengths.factor()
  await character.edit((c) => api.placeJoint(c, posing.chosen, { at, pose: { joints: {} }, mirror: tools.mirrored }))
}
async function rename(): Promise<void> {
  const wanted = name.value.trim()
  if (!wanted || wanted === posing.chosen) return
  if (await character.edit((c) => api.renameJoint(c, posing.chosen, wanted, tools.mirrored))) posing.chooseJoint(wanted)
}
async function applyTurn(): Promise<void> {
  if (await character.edit((c) => api.turnJoint(c, posing.chosen, turn.value, tools.mirrored))) turn.value = [0, 0, 0]
}
function setHinge(change: { axis?: Axis; low?: number; high?: number }) {
  if (!info.value) return
  const { hinge_axis, low_deg, high_deg } = info.value
  const body = { axis: change.axis ?? (hinge_axis as Axis), low_deg: change.low ?? low_deg, high_deg: change.high ?? high_deg, mirror: tools.mirrored }
  void character.edit((c) => api.setHinge(c, posing.chosen, body))
}
const setAxis = (label: string) => setHinge({ axis: axes.find((a) => a.label === label)?.axis })
async function make(): Promise<void> {
  const wanted = tools.jointName.trim()
  const at = [...(info.value?.at ?? [0, 1, 0])] as Point
  // Beside the chosen joint, so that it is seen and can be dragged to its place.
  at[1] += 0.04 * (character.figure?.height ?? 1.8)
  if (!(await tools.makeJoint(wanted, at, {}))) return
  tools.jointName = ''
  tools.tool = 'place'
}
async function remove(remedies: boolean): Promise<void> {
  const joint = posing.chosen
  needed.value = ''
  await character.edit((c) => api.deleteJoint(c, joint, tools.mirrored, remedies).catch((error) => {
    if (!(error instanceof Problem) || error.kind !== 'joint-needed') throw error
    needed.value = error.message
    throw new DOMException('told beside the button', 'AbortError')
  }))
}
</script>

<template>
  <LaySkeleton v-if="!joints.length || tools.markers" />
  <template v-else>
    <div v-if="character.state && !character.state.bound" class="next" role="status">
      <p>Nothing follows these joints yet. When they stand right:</p>
      <el-button type="primary" :disabled="work.binding !== null" @click="work.automaticWeights(null)">Make automatic weights</el-button>
    </div>
    <h2>{{ plainName(posing.chosen) }}</h2>
    <p class="muted hint">The skin stays where it is; the held pose shows what changes.</p>
    <el-checkbox v-if="!character.flat" v-model="tools.mirrored" label="the other side follows" size="small" />

    <h3>Name</h3>
    <form class="row" @submit.prevent="rename">
      <el-input v-model="name" maxlength="120" aria-label="Name of the joint" class="grow" :disabled="busy" />
      <el-button native-type="submit" :disabled="busy || !name.trim() || name.trim() === posing.chosen">Rename</el-button>
    </form>

    <h3>Hangs on</h3>
    <JointSelect :model-value="parent" :without="posing.chosen" class="parent" aria-label="Parent of the joint" :disabled="busy" @update:model-value="(up: string | undefined) => up && character.edit((c) => api.hangJoint(c, posing.chosen, up === NONE ? null : up, tools.mirrored))">
      <el-option :value="NONE" label="nothing" />
    </JointSelect>

    <h3>Place at rest, {{ lengths.unit() }}</h3>
    <div class="fields">
      <label v-for="(word, k) in character.flat ? ['side', 'up'] : ['side', 'up', 'front']" :key="word">{{ word }}
        <el-input-number :model-value="place[k]" :step="step" :precision="1" size="small" controls-position="right" :disabled="busy" :aria-label="`Place of the joint, ${word}`" @change="(value: number | undefined) => moveTo(k, value)" />
      </label>
    </div>
    <p class="muted hint">Or take <b>Move joints</b> in the view and drag.</p>

    <template v-if="!character.flat">
    <h3>Turn its frame, degrees</h3>
    <div class="fields">
      <label v-for="(word, k) in ['X', 'Y', 'Z']" :key="word">{{ word }}
        <el-input-number v-model="turn[k]" :step="5" :precision="1" size="small" controls-position="right" :disabled="busy" :aria-label="`Turn the joint about ${word}`" />
      </label>
    </div>
    <div class="row turn">
      <el-button :disabled="busy || turn.every((d) => !d)" @click="applyTurn">Turn</el-button>
      <el-button :disabled="busy" title="Y along the bone; the hinge stays as near as can be to where it was" @click="character.edit((c) => api.aimJoint(c, posing.chosen, tools.mirrored))">Along the bone</el-button>
    </div>
    </template>

    <h3>Range of motion{{ info?.hinge_known ? '' : ' (a guess)' }}</h3>
    <div class="fields">
      <label>about
        <el-select :model-value="hingeAxis" size="small" aria-label="Hinge axis" :disabled="busy" @update:model-value="setAxis"><el-option v-for="a in axes" :key="a.label" :value="a.label" :label="a.label" /></el-select>
      </label>
      <label>from <el-input-number :model-value="Math.round(info?.low_deg ?? 0)" :step="5" size="small" controls-position="right" :disabled="busy" aria-label="Range from, degrees" @change="(value: number | undefined) => value !== undefined && setHinge({ low: value })" /></label>
      <label>to <el-input-number :model-value="Math.round(info?.high_deg ?? 0)" :step="5" size="small" controls-position="right" :disabled="busy" aria-label="Range to, degrees" @change="(value: number | undefined) => value !== undefined && setHinge({ high: value })" /></label>
    </div>
    <el-select :model-value="''" placeholder="As handbooks print it …" aria-label="Range preset" class="preset" :disabled="busy" @update:model-value="(p: string) => character.edit((c) => api.setRange(c, posing.chosen, p, tools.mirrored))">
      <el-option v-for="r in sorted" :key="r.name" :value="r.name" :label="`${r.title}: ${r.low_deg}° to ${r.high_deg}°`" />
    </el-select>

    <h3>Twist joints along its bone</h3>
    <div class="row">
      <el-input-number v-model="twists" :min="1" :max="8" size="small" controls-position="right" aria-label="Number of twist joints" class="small" />
      <el-button :disabled="busy" @click="character.edit((c) => api.insertTwists(c, posing.chosen, twists, tools.mirrored))">Insert</el-button>
    </div>

    <h3>New joint under it</h3>
    <form class="row" @submit.prevent="make">
      <el-input v-model="tools.jointName" placeholder="Name" maxlength="120" aria-label="Name of the new joint" class="grow" />
      <el-button native-type="submit" :disabled="character.sculpting !== null || !tools.jointName.trim()">Make</el-button>
    </form>
    <p class="muted hint">Or take <b>Make joints</b> and click one joint after the other: a finger, a tail.</p>

    <h3>All joints</h3>
    <div class="row">
      <el-button @click="character.edit((c) => api.mirrorJoints(c, true))">Left to right</el-button>
      <el-button @click="character.edit((c) => api.mirrorJoints(c, false))">Right to left</el-button>
    </div>

    <h3>Delete</h3>
    <el-button type="danger" plain :disabled="busy" @click="remove(false)">Delete {{ plainName(posing.chosen).toLowerCase() }}</el-button>
    <div v-if="needed" class="next" role="alert">
      <p>{{ needed }}</p>
      <el-button size="small" :disabled="busy" title="Helpers that need it are deleted; shapes that were tied to it stay, untied. Undo brings all back" @click="remove(true)">Untie them and delete it</el-button>
    </div>
    <p class="muted hint">What hangs on it and what follows it goes to {{ parent === NONE ? 'the joint beside it' : plainName(parent).toLowerCase() }}.{{ tools.mirrored ? ' Its mirror image, if it has one, goes too.' : '' }}</p>
  </template>
</template>

<style scoped>
.next { border: 1px solid #7fd1b988; border-radius: 5px; background: var(--raised); padding: 10px; margin-bottom: 12px; display: grid; gap: 8px; justify-items: start; font-size: 12.5px; }
.preset, .turn { margin-top: 6px; }
.small { width: 84px; }
</style>
