<script setup lang="ts">
/** How the skin turns along the limb of a rolled joint: as it should, and as it does. */
import { useDebounceFn } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed, ref, watch } from 'vue'
import { api, Problem, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const mending = useMending()
const roll = ref<Schemas['RollAlong'] | null>(null)
const subject = computed(() => JSON.stringify([posing.chosen, posing.pose, character.state?.revision]))
const WIDTH = 250, HEIGHT = 74, LEFT = 30, BOTTOM = 58

const ask = useDebounceFn(async () => {
  const asked = subject.value
  if (posing.atRest || !posing.chosen) return void (roll.value = null)
  try {
    const found = await api.roll(character.id, posing.pose, posing.chosen)
    if (asked === subject.value) roll.value = found
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    roll.value = null
  }
}, 350)
watch(subject, ask, { immediate: true })

const x = scaleLinear([0, 1], [LEFT, WIDTH - 6])
/** What the skin does, in the way that the joint rolls. */
const seen = computed(() => (roll.value?.present_deg ?? []).flatMap((v) => (v === null ? [] : [v * Math.sign(roll.value!.roll_deg)])))
const y = computed(() => scaleLinear([Math.min(0, ...seen.value), Math.max(Math.abs(roll.value?.roll_deg ?? 1), ...seen.value) * 1.1], [BOTTOM, 6]))
const draw = (values: (number | null)[]) => {
  const sign = Math.sign(roll.value?.roll_deg ?? 1)
  const points = values.map((v, k) => [roll.value!.places[k], v === null ? null : v * sign] as [number, number | null])
  return line<[number, number | null]>().defined((p) => p[1] !== null).x((p) => x(p[0])).y((p) => y.value(p[1]!))(points) ?? ''
}
const busy = ref(false)
const count = ref(2)
/** Let the twist joints share the roll out; where there are none, they are made. */
async function share(eased: boolean): Promise<void> {
  busy.value = true
  await mending.making((c) => api.shareRoll(c, { joint: posing.chosen, count: count.value, eased }))
  busy.value = false
}
const worst = computed(() => {
  const r = roll.value
  return r ? Math.max(...r.present_deg.map((v, k) => (v === null ? 0 : Math.abs(v - r.ideal_deg[k])))) : 0
})
</script>

<template>
  <figure v-if="roll">
    <figcaption>Roll along the limb: up to <b class="num">{{ worst.toFixed(0) }}°</b> off an even one</figcaption>
    <svg :width="WIDTH" :height="HEIGHT" role="img" :aria-label="`Roll along the limb, up to ${worst.toFixed(0)} degrees off an even one`">
      <g v-for="t in y.ticks(2)" :key="t"><line :x1="LEFT" :x2="WIDTH - 6" :y1="y(t)" :y2="y(t)" class="grid" /><text :x="LEFT - 5" :y="y(t) + 4" text-anchor="end">{{ t }}°</text></g>
      <text :x="LEFT" :y="HEIGHT - 3">start of the bone</text><text :x="WIDTH - 6" :y="HEIGHT - 3" text-anchor="end">its end</text>
      <path :d="draw(roll.ideal_deg)" class="ideal" /><path :d="draw(roll.present_deg)" class="present" />
    </svg>
    <p v-if="roll.flips" class="warn">{{ roll.flips }}</p>
    <div v-if="!character.sculpting" class="shares" role="group" aria-label="Twist joints">
      <span v-if="roll.twists">{{ roll.twists }} twist joints</span>
      <label v-else>Twist joints <el-input-number v-model="count" size="small" :min="1" :max="8" aria-label="How many twist joints" /></label>
      <el-button size="small" :loading="busy" title="The roll grows evenly along the limb" @click="share(false)">Share evenly</el-button>
      <el-button size="small" :disabled="busy" title="The roll grows slowly at both ends of the limb" @click="share(true)">Eased</el-button>
    </div>
  </figure>
</template>

<style scoped>
figure { margin: 8px 0 0; }
.shares { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; font-size: 12px; color: var(--muted); margin-top: 4px; }
.shares .el-button { margin: 0; }
.shares .el-input-number { width: 84px; }
.warn { color: var(--warn); font-size: 12.5px; }
figcaption { font-size: 12px; color: var(--muted); }
figcaption b { color: var(--text); font-weight: 400; }
svg { display: block; }
text { font: 10px 'Mono'; fill: var(--muted); }
.grid { stroke: #322e3b; }
path { fill: none; }
.ideal { stroke: var(--muted); stroke-dasharray: 4 3; }
.present { stroke: var(--accent); stroke-width: 2; }
</style>
