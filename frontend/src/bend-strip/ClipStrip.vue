<script setup lang="ts">
/** The strip over a clip: what the chosen joint loses and gets back from moment to moment; dragging scrubs. */
import { badnessText, heightOf } from '@/bend-strip/badness'
import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { api, Problem, type ClipPoint } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { usePlainKeys } from '@/workbench/keys'
import { useMending } from '@/workbench/mending'
import { FRAMES, usePose } from '@/workbench/pose'
import MotionSelect from './MotionSelect.vue'
import StripLegend from './StripLegend.vue'
import { useClipPlayer } from './useClipPlayer'

const character = useCharacter()
const posing = usePose()
const mending = useMending()
const host = ref<HTMLElement>()
const { width } = useElementSize(host)
const HEIGHT = 196, LEFT = 44, RIGHT = 20, TOP = 26, BOTTOM = 172
/** Every frame is measured in the end, up to so many. */
const MOST = 601
const { loop, speed, playing, toggle, pause } = useClipPlayer()

// --- what is measured: coarse at once, then fine; the newest request wins
const points = shallowRef<ClipPoint[]>([])
const note = ref('')
let running: AbortController | null = null
async function load(): Promise<void> {
  running?.abort()
  const name = posing.clip?.name
  if (!name || !posing.chosen) return
  const mine = (running = new AbortController())
  try {
    for (const samples of [25, 61, Math.min(MOST, Math.round(posing.clipLength * FRAMES) + 1)]) {
      const found = await api.clip(character.id, name, posing.chosen, samples, mine.signal)
      if (mine.signal.aborted) return
      points.value = found
      note.value = found.length ? '' : 'Turning this joint bends no skin, so there is nothing to measure.'
    }
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') return
    points.value = []
    note.value = error instanceof Problem ? error.message : 'The clip could not be measured.'
  }
}
watch([() => posing.clip?.name, () => posing.chosen, () => character.state?.revision], load, { immediate: true })
onBeforeUnmount(() => running?.abort())

const time = computed(() => posing.clip?.time ?? 0)
const x = computed(() => scaleLinear([0, Math.max(posing.clipLength, 1e-3)], [LEFT, Math.max(width.value - RIGHT, LEFT + 10)]))
const values = (p: ClipPoint) => [p.without.volume, p.with.volume, p.without.girth, p.with.girth].map((v) => v ?? 100)
const floor = computed(() => Math.max(0, Math.floor(Math.min(90, ...points.value.flatMap(values)) / 10) * 10 - 5))
const ceiling = computed(() => Math.max(108, ...points.value.map((p) => Math.max(p.without.volume ?? 100, p.with.volume ?? 100) + 3)))
const y = computed(() => scaleLinear([floor.value, ceiling.value], [BOTTOM, TOP]))
const ya = scaleLinear([0, 1], [BOTTOM, TOP + 4])
const draw = (value: (p: ClipPoint) => number | null, scale: (v: number) => number) =>
  line<ClipPoint>().defined((p) => value(p) !== null).x((p) => x.value(p.time)).y((p) => scale(value(p)!))(points.value) ?? ''
const curves = computed(() => [
  { key: 'girth-without', d: draw((p) => p.without.girth, y.value) },
  { key: 'girth-with', d: draw((p) => p.with.girth, y.value) },
  { key: 'volume-without', d: draw((p) => p.without.volume, y.value) },
  { key: 'volume-with', d: draw((p) => p.with.volume, y.value) },
])
const activations = computed(() =>
  mending.tiedHere.filter((r) => r.by).map((r) => ({ id: r.id, name: r.name, d: draw((p) => p.activations[r.id] ?? 0, ya) })),
)
const worst = computed(() => {
  const p = points.value.length < 2 ? undefined : points.value.find((point) => point.worst)
  return p ? { time: p.time, x: x.value(p.time), y: y.value(heightOf(p)), text: `${badnessText(p.badness)} at ${p.time.toFixed(2)} s` } : null
})
const worstTextAt = computed(() => {
  const at = Math.max(LEFT + 75, Math.min(width.value - RIGHT - 75, worst.value?.x ?? 0)), head = x.value(time.value)
  if (Math.abs(at - head) >= 105) return at
  return at >= head && head + 105 <= width.value - RIGHT - 75 ? head + 105 : head - 105
})
function showWorst(): void {
  pause()
  if (worst.value) posing.seek(worst.value.time)
}

let dragging = false
function scrub(event: PointerEvent): void {
  const box = (host.value as HTMLElement).getBoundingClientRect()
  posing.seek(x.value.invert(event.clientX - box.left))
}
function press(event: PointerEvent): void {
  if (character.sculpting) return
  dragging = true
  pause()
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  scrub(event)
}
function step(by: 1 | -1): void {
  pause()
  posing.step(by)
}
function key(event: KeyboardEvent): void {
  if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') step(event.key === 'ArrowRight' ? 1 : -1)
}
usePlainKeys({ p: toggle })
</script>

<template>
  <footer class="strip">
    <div class="head">
      <MotionSelect />
      <div class="row" role="group" aria-label="Playing">
        <el-button size="small" :aria-pressed="playing" :disabled="character.sculpting !== null" title="Play or stop (P)" @click="toggle">{{ playing ? 'Stop' : 'Play' }}</el-button>
        <el-button size="small" aria-label="A frame back" title="A frame back (,)" :disabled="character.sculpting !== null" @click="step(-1)">−1</el-button>
        <el-button size="small" aria-label="A frame on" title="A frame on (.)" :disabled="character.sculpting !== null" @click="step(1)">+1</el-button>
        <el-button size="small" v-off="worst ? '' : 'Nothing worth a mend in this clip.'" :disabled="character.sculpting !== null" :title="worst ? `Go to the worst frame: ${worst.text}` : ''" @click="showWorst">Worst</el-button>
      </div>
      <div class="row">
        <el-segmented v-model="speed" size="small" :options="[{ label: '¼', value: 0.25 }, { label: '½', value: 0.5 }, { label: '1', value: 1 }]" aria-label="Speed" />
        <el-checkbox v-model="loop" size="small">Loop</el-checkbox>
        <span class="num muted">frame {{ Math.round(time * FRAMES) }}</span>
      </div>
      <StripLegend />
    </div>
    <div ref="host" class="chart">
      <svg
        :width="width" :height="HEIGHT" tabindex="0" role="slider" aria-label="Clip" :aria-valuenow="Math.round(time * 100) / 100" :aria-valuemin="0"
        :aria-valuemax="posing.clipLength" :aria-valuetext="`${time.toFixed(2)} seconds`" data-clip-strip
        @pointerdown="press" @pointermove="dragging && scrub($event)" @pointerup="dragging = false" @pointercancel="dragging = false" @keydown="key"
      >
        <g v-for="t in y.ticks(5)" :key="`v${t}`">
          <line :x1="LEFT" :x2="width - RIGHT" :y1="y(t)" :y2="y(t)" :class="t === 100 ? 'hundred' : 'grid'" />
          <text :x="LEFT - 8" :y="y(t) + 4" text-anchor="end">{{ t }}</text>
        </g>
        <text :x="LEFT - 8" :y="TOP - 10" text-anchor="end">%</text>
        <g v-for="t in x.ticks(8)" :key="`a${t}`">
          <line :x1="x(t)" :x2="x(t)" :y1="TOP" :y2="BOTTOM" class="grid" />
          <text :x="x(t)" :y="188" text-anchor="middle">{{ t }} s</text>
        </g>
        <path v-for="a in activations" :key="a.id" :d="a.d" class="activation" :class="{ on: a.id === mending.chosenRemedy }"><title>{{ a.name }}</title></path>
        <path v-for="c in curves" :key="c.key" :d="c.d" :class="c.key" :data-curve="c.key" />
        <g v-if="worst" class="worst" data-worst @pointerdown.stop="showWorst">
          <path :d="`M${worst.x} ${worst.y - 4}l-5 -8h10z`" />
          <text :x="worstTextAt" :y="15" text-anchor="middle">{{ worst.text }}</text>
        </g>
        <g class="playhead" :transform="`translate(${x(time)} 0)`">
          <line y1="20" :y2="BOTTOM + 2" />
          <rect x="-26" y="2" width="52" height="18" rx="4" />
          <text y="15" text-anchor="middle">{{ time.toFixed(2) }} s</text>
        </g>
      </svg>
      <p v-if="note" class="note">{{ note }}</p>
    </div>
  </footer>
</template>

<style scoped src="./strip.css"></style>
<style scoped>
.row { display: flex; gap: 6px; align-items: center; margin-top: 6px; font-size: 12px; }
.row .el-button { margin: 0; }
</style>
