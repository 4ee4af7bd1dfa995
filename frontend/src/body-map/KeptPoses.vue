<script setup lang="ts">
/** Poses kept under a name: go to one, keep the held one, mirror it, or stand between two of them. */
import { computed, ref } from 'vue'
import { api, type Axis, type Pose } from '@/api/client'
import { between, rotationOf } from '@/workbench/angles'
import { say, useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const poses = computed(() => character.state?.poses ?? [])
const name = ref<string | null>(null)
const locked = computed(() => character.sculpting !== null)
/** No name begins with a space. */
const REST_POSE = ' rest'
/** The two that one stands between, by name, and how far on the way. */
const from = ref(REST_POSE), to = ref<string | null>(null), share = ref(0)
const ends = computed(() => [{ name: REST_POSE, label: 'Rest' }, ...poses.value.map((p) => ({ name: p.name, label: p.name }))])

async function keep(): Promise<void> {
  const wanted = name.value!.trim()
  if (await character.edit((c) => api.keepPose(c, wanted, posing.pose))) name.value = null
}
async function mirror(): Promise<void> {
  try {
    posing.go(await api.mirroredPose(character.id, posing.pose))
  } catch (error) {
    say(error)
  }
}
const held = (wanted: string): Pose => poses.value.find((p) => p.name === wanted)?.pose ?? { joints: {}, dials: {} }
type Numbers = Record<string, number> | null | undefined
/** Numbers by name between two poses; what a pose does not say stands at its start. */
function mixed(a: Numbers, b: Numbers, start: (name: string) => number, t: number): Record<string, number> {
  const names = [...new Set([...Object.keys(a ?? {}), ...Object.keys(b ?? {})])]
  return Object.fromEntries(names.map((n) => [n, (1 - t) * (a?.[n] ?? start(n)) + t * (b?.[n] ?? start(n))]))
}
/** Where a joint stands between two poses; its stretch is that of the nearer one. */
function standing(a: Pose, b: Pose, name: string, t: number) {
  const [one, other] = [a, b].map((p) => (p.joints?.[name] ?? {}) as { translation?: Axis | null; scale?: Axis | null })
  const scale = (t < 0.5 ? one : other).scale
  const moved = one.translation || other.translation
  const translation = [0, 1, 2].map((k) => (1 - t) * (one.translation?.[k] ?? 0) + t * (other.translation?.[k] ?? 0)) as unknown as Axis
  return { ...(moved ? { translation } : {}), ...(scale ? { scale } : {}) }
}
function blend(percent: number): void {
  share.value = percent
  const a = held(from.value), b = held(to.value!)
  const names = [...new Set([...Object.keys(a.joints ?? {}), ...Object.keys(b.joints ?? {})])]
  const start = (dial: string) => character.dials.find((d) => d.name === dial)?.start ?? 0
  const t = percent / 100
  posing.go({
    joints: Object.fromEntries(names.map((n) => [n, { quaternion_xyzw: between(rotationOf(a.joints?.[n]), rotationOf(b.joints?.[n]), t), ...standing(a, b, n, t) }])),
    shapes: mixed(a.shapes, b.shapes, () => 0, t),
    dials: mixed(a.dials, b.dials, start, t),
  })
}
</script>

<template>
  <section>
    <header>
      <h2>Kept poses</h2>
      <span>
        <el-button size="small" text :disabled="locked || posing.atRest" title="The other side's pose: left and right change places" @click="mirror">Mirror</el-button>
        <el-button v-if="name === null" size="small" text :disabled="posing.atRest" @click="name = ''">Keep pose</el-button>
      </span>
    </header>
    <form v-if="name !== null" @submit.prevent="keep">
      <el-input v-model="name" size="small" maxlength="120" placeholder="Name" aria-label="Name of the pose" />
      <el-button size="small" native-type="submit" type="primary" :disabled="!name.trim()">Keep</el-button>
      <el-button size="small" text @click="name = null">Cancel</el-button>
    </form>
    <div v-for="p in poses" :key="p.name" class="row">
      <span class="name" :title="p.name">{{ p.name }}</span>
      <el-button size="small" text :disabled="locked" @click="posing.go(p.pose)">Go</el-button>
      <el-button size="small" text :aria-label="`Forget the pose ${p.name}`" @click="character.edit((c) => api.forgetPose(c, p.name))">×</el-button>
    </div>
    <div v-if="poses.length" class="blend">
      <el-select v-model="from" size="small" aria-label="Pose to blend from"><el-option v-for="e in ends" :key="e.name" :value="e.name" :label="e.label" /></el-select>
      <el-select v-model="to" size="small" placeholder="to …" aria-label="Pose to blend to" @change="blend(share)"><el-option v-for="e in ends" :key="e.name" :value="e.name" :label="e.label" /></el-select>
      <el-slider v-if="to !== null" :model-value="share" :min="0" :max="100" size="small" :show-tooltip="false" :disabled="locked" aria-label="How far between the two poses" @update:model-value="(v: unknown) => blend(v as number)" />
    </div>
  </section>
</template>

<style scoped>
section { border-top: 1px solid var(--line); padding-bottom: 6px; }
header { display: flex; justify-content: space-between; align-items: center; padding: 2px 8px 0 14px; color: var(--muted); min-height: 28px; }
h2 { font-size: 12px; }
header .el-button, form .el-button, .row .el-button { margin: 0; padding: 0 5px; }
form { display: flex; gap: 4px; padding: 2px 8px 4px 14px; }
.row { display: flex; align-items: center; padding: 0 8px 0 14px; font-size: 12.5px; }
.name { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.blend { display: grid; grid-template-columns: 1fr 1fr; gap: 0 6px; padding: 2px 20px 0 14px; }
.blend .el-slider { grid-column: 1 / 3; height: 24px; }
</style>
