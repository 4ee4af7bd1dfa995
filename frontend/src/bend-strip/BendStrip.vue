<script setup lang="ts">
/** The bend strip: the whole travel of the chosen joint; dragging along it bends the joint. */
import { badnessText, heightOf } from '@/bend-strip/badness'
import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed, ref } from 'vue'
import { api, type Axis, type BendPoint } from '@/api/client'
import { sameAxis } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLengths } from '@/workbench/lengths'
import { roomAt, useMending } from '@/workbench/mending'
import BendHead from './BendHead.vue'
import { useBendCurves } from './useBendCurves'
import { useStripDrag } from './useStripDrag'
import { useTiedHere } from './useTiedHere'

const lengths = useLengths()
const character = useCharacter()
const posing = usePose()
const mending = useMending()
const host = ref<HTMLElement>()
const { width } = useElementSize(host)
const HEIGHT = 196, LEFT = 44, RIGHT = 20, TOP = 26, BOTTOM = 172

const onHinge = computed(() => posing.jointInfo && sameAxis(posing.axis, posing.jointInfo.hinge_axis as Axis))
const low = computed(() => (onHinge.value ? Math.max(-180, Math.min(0, posing.jointInfo!.low_deg) - 10) : -90))
const high = computed(() => (onHinge.value ? Math.min(180, Math.max(10, posing.jointInfo!.high_deg) + 10) : 90))
const { points, note, refining } = useBendCurves(low, high)

const x = computed(() => scaleLinear([low.value, high.value], [LEFT, Math.max(width.value - RIGHT, LEFT + 10)]))
const floor = computed(() => {
  const least = Math.min(90, ...points.value.flatMap((p) => [p.without.volume ?? 100, p.with.volume ?? 100, p.without.girth ?? 100, p.with.girth ?? 100]))
  return Math.max(0, Math.floor(least / 10) * 10 - 5)
})
const ceiling = computed(() => Math.max(108, ...points.value.map((p) => Math.max(p.without.volume ?? 100, p.with.volume ?? 100) + 3)))
const y = computed(() => scaleLinear([floor.value, ceiling.value], [BOTTOM, TOP]))
const ya = scaleLinear([0, 1], [BOTTOM, TOP + 4])

const draw = (value: (p: BendPoint) => number | null) =>
  line<BendPoint>().defined((p) => value(p) !== null).x((p) => x.value(p.angle_deg)).y((p) => y.value(value(p)!))(points.value) ?? ''
const curves = computed(() => [
  { key: 'girth-without', d: draw((p) => p.without.girth) },
  { key: 'girth-with', d: draw((p) => p.with.girth) },
  { key: 'volume-without', d: draw((p) => p.without.volume) },
  { key: 'volume-with', d: draw((p) => p.with.volume) },
])

/** How much of a drawing's fills is open, over the foot of the chart. */
const opened = computed(() => {
  const most = Math.max(0, ...points.value.map((p) => Math.max(p.with.open_fill ?? 0, p.without.open_fill ?? 0)))
  if (most < 0.05) return null
  const yo = (v: number | null | undefined) => BOTTOM - (44 * (v ?? 0)) / most
  const of = (value: (p: BendPoint) => number | null | undefined) => line<BendPoint>().x((p) => x.value(p.angle_deg)).y((p) => yo(value(p)))(points.value) ?? ''
  return { most, without: of((p) => p.without.open_fill), with: of((p) => p.with.open_fill) }
})

const { tied, sign, activations, trigger, knots, flags } = useTiedHere({ x, ya, low, high, floor: BOTTOM })
const worst = computed(() => {
  const p = points.value.length < 2 ? undefined : points.value.find((point) => point.worst)
  return p ? { x: x.value(p.angle_deg), y: y.value(heightOf(p)), text: `${badnessText(p.badness)} at ${p.angle_deg.toFixed(0)}°`, angle: p.angle_deg } : null
})

/** What one more target of the chosen corrective would be at the worst place. */
const worstBetween = computed(() => {
  const one = tied.value.find(({ card }) => card.id === mending.chosenRemedy && card.targets.length > 0)
  if (!one || !worst.value || character.sculpting) return null
  const room = roomAt(one.card, worst.value.angle * one.sign)
  return room && { card: one.card, label: room === 'further' ? 'one more here' : 'in-between here' }
})
async function betweenAtWorst(): Promise<void> {
  const { card } = worstBetween.value!
  posing.bendTo(worst.value!.angle)
  await character.edit((c) => api.beginSculpt(c, posing.pose, card.id, true))
}

/** What remains of what was baked: where the corrective is furthest off what it stands for. */
const remains = computed(() =>
  tied.value.flatMap(({ card, sign: s }) => {
    const { remains_m: off, remains_at_deg: at } = card.report
    return off == null || at == null ? [] : [{ id: card.id, x: x.value(at * s), text: `${card.name}: up to ${lengths.small(off)} off here` }]
  }),
)

/** Where the worst place is told: over it, but clear of the playhead's number. */
const worstTextAt = computed(() => {
  const inside = (at: number) => Math.max(LEFT + 70, Math.min(width.value - RIGHT - 70, at))
  const head = x.value(Math.max(low.value, Math.min(high.value, posing.angle))), at = inside(worst.value?.x ?? 0)
  if (Math.abs(at - head) >= 100) return at
  const right = head + 100
  return at >= head && right <= width.value - RIGHT - 70 ? right : inside(head - 100)
})

const { dragged, press, pressKnot, pressFlag, move, lift, key } = useStripDrag({ host, x, ya, low, high, trigger, flags, sign })
</script>

<template>
  <footer class="strip">
    <BendHead :low="low" :high="high" />
    <div ref="host" class="chart">
      <svg
        :width="width" :height="HEIGHT" tabindex="0" role="slider" aria-label="Bend strip" :aria-valuenow="Math.round(posing.angle)"
        :aria-valuemin="low" :aria-valuemax="high" :aria-valuetext="`${posing.angle.toFixed(0)} degrees`" data-strip
        @pointerdown="press" @pointermove="move" @pointerup="lift" @pointercancel="lift" @keydown="key"
      >
        <g v-for="t in y.ticks(5)" :key="`v${t}`">
          <line :x1="LEFT" :x2="width - RIGHT" :y1="y(t)" :y2="y(t)" :class="t === 100 ? 'hundred' : 'grid'" />
          <text :x="LEFT - 8" :y="y(t) + 4" text-anchor="end">{{ t }}</text>
        </g>
        <text :x="LEFT - 8" :y="TOP - 10" text-anchor="end">%</text>
        <g v-for="t in x.ticks(8)" :key="`a${t}`">
          <line :x1="x(t)" :x2="x(t)" :y1="TOP" :y2="BOTTOM" class="grid" />
          <text :x="x(t)" :y="188" text-anchor="middle">{{ t }}°</text>
        </g>
        <template v-for="a in activations" :key="a.id">
          <path :d="a.fill" class="wash" />
          <path :d="a.d" class="activation" :class="{ on: a.id === mending.chosenRemedy }"><title>{{ a.name }}</title></path>
        </template>
        <template v-if="opened">
          <path :d="opened.without" class="open-without" /><path :d="opened.with" class="open-with" data-curve="open" />
          <text :x="LEFT + 6" :y="BOTTOM - 48">fill open, up to {{ opened.most.toFixed(0) }}</text>
        </template>
        <path v-for="c in curves" :key="c.key" :d="c.d" :class="c.key" :data-curve="c.key" />
        <g class="playhead" :transform="`translate(${x(Math.max(low, Math.min(high, posing.angle)))} 0)`">
          <line y1="20" :y2="BOTTOM + 2" />
          <rect x="-26" y="2" width="52" height="18" rx="4" />
          <text y="15" text-anchor="middle">{{ posing.angle.toFixed(0) }}°</text>
        </g>
        <g v-for="f in flags" :key="f.at" class="flag" :transform="`translate(${x(dragged?.at === f.at ? dragged.angle : f.angle)} 0)`" :data-flag="f.at" @pointerdown="pressFlag($event, f.at)" @pointermove.stop="move" @pointerup.stop="lift">
          <line :y1="TOP + 6" :y2="BOTTOM" /><path :d="`M0 ${TOP + 4}h13l-4 5 4 5h-13z`" /><title>In-between at {{ Math.round((dragged?.at === f.at ? dragged.to : f.at) * 100) }} %: drag it along the way</title>
        </g>
        <path v-for="r in remains" :key="r.id" class="remains" :d="`M${r.x} ${BOTTOM}l5 6h-10z`"><title>{{ r.text }}</title></path>
        <g v-if="worst" class="worst" data-worst @pointerdown.stop="posing.bendTo(worst.angle)">
          <path :d="`M${worst.x} ${worst.y - 4}l-5 -8h10z`" />
          <text :x="worstTextAt" :y="15" text-anchor="middle">{{ worst.text }}</text>
        </g>
        <rect
          v-for="k in knots" :key="k.index" class="knot" :x="x(k.angle) - 5" :y="ya(k.value) - 5" width="10" height="10" rx="2" :data-knot="k.index"
          @pointerdown="pressKnot($event, k.index)" @pointermove.stop="move" @pointerup.stop="lift"
        ><title>{{ k.angle.toFixed(0) }}°: {{ k.value.toFixed(2) }}</title></rect>
      </svg>
      <button v-if="worstBetween && worst" class="between" :style="{ left: `${Math.max(LEFT, Math.min(width - 130, worst.x - 56))}px` }" title="Bend to the worst place and sculpt one more target there" @click="betweenAtWorst">{{ worstBetween.label }}</button>
      <p v-if="note" class="note">{{ note }}</p>
      <span v-else-if="refining && points.length < 20" class="refining">measuring …</span>
    </div>
  </footer>
</template>

<style scoped src="./strip.css"></style>
<style scoped>
.wash { fill: var(--accent); opacity: 0.06; }
.knot { fill: var(--panel); stroke: var(--accent); stroke-width: 1.8; cursor: move; }
.open-with { stroke: var(--warn); stroke-width: 1.8; }
.open-without { stroke: var(--warn); stroke-width: 1.2; stroke-dasharray: 2 3; }
.remains { fill: var(--warn); }
.flag { cursor: ew-resize; }
.flag line { stroke: var(--accent); stroke-dasharray: 2 3; }
.flag path { fill: var(--accent); }
.between { position: absolute; bottom: 30px; font: inherit; font-size: 11.5px; background: var(--raised); color: var(--text); border: 1px solid var(--line); border-radius: 4px; padding: 1px 7px; cursor: pointer; }
.refining { position: absolute; right: 24px; bottom: 30px; font-size: 12px; color: var(--muted); }
</style>
