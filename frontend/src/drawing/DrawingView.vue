<script setup lang="ts">
/** The view of a drawing: crisp at every size; joints, the arc of the chosen one, and points where one works. */
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { plainName, twistDeg, REST } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePlainKeys } from '@/workbench/keys'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { usePose } from '@/workbench/pose'
import { useResume } from '@/workbench/resume'
import { useTools } from '@/workbench/tools'
import { weightColour } from '@/view/heat'
import { controlsOf, painted, pathOf, type Drawn } from './outlines'
import { useDrawnJoints } from './useDrawnJoints'
import { useFlatBrush } from './useFlatBrush'
import { useOutlineBrush } from './useOutlineBrush'
import { usePlane } from './usePlane'

const character = useCharacter()
const posing = usePose()
const live = useLive()
const looks = useLook()
const tools = useTools()
const resume = useResume()
const host = ref<HTMLElement>()
const { width, height } = useElementSize(host)
const plane = usePlane(host, width, height)
const { transform } = plane
const outline = useOutlineBrush(plane.toWorld)
const picked = outline.picked
const brush = useFlatBrush(plane)
const ring = brush.ring
const joints = useDrawnJoints(plane)
const { dots, bones, arc } = joints
const ready = ref(false)

const drawing = computed(() => character.figure!.drawing!)
/** What is drawn, from back to front: a remedy may switch that. */
const shown = computed(() => {
  const order = looks.holding ? null : live.frame?.order, parts = character.figure!.parts
  const kept = drawing.value.drawn.filter((d) => !looks.hidden.includes(d.part))
  return order ? order.flatMap((n) => kept.filter((d) => d.part === parts[n]?.name)) : kept
})
const points = computed(() => {
  const frame = live.frame
  const rest = character.mesh!.rest
  if (!frame || frame.with.length !== rest.length) return rest
  return looks.holding && frame.without ? frame.without : frame.with
})
const widths = computed(() => live.frame?.widths)
const things = computed(() => painted(shown.value, points.value, widths.value))
const ghost = computed(() => {
  const seen = live.frame?.ghost
  const p = points.value
  if (!seen || seen.length !== p.length) return []
  // What lies where it is drawn would only cover it.
  const still = 1e-3 * character.figure!.height
  const differs = (d: Drawn) => controlsOf([d]).some((v) => [0, 1, 2].some((k) => Math.abs(seen[3 * (v + k)] - p[3 * (v + k)]) + Math.abs(seen[3 * (v + k) + 1] - p[3 * (v + k) + 1]) > still))
  return shown.value.filter(differs).map((d) => ({ d: pathOf(d, seen), fill: d.fill !== null }))
})
/** Control points are shown only where one works on them: those of things near the joint, or all while weights are painted. */
const working = computed(() => !looks.clean && (character.sculpting !== null || tools.binds || tools.spotting))
const controls = computed(() => {
  if (!working.value) return []
  const p = points.value, moved = live.frame?.weights
  const weights = looks.shading === 'weights' ? moved : undefined
  // Of what the chosen joint moves, or all.
  const follows = (d: Drawn) => !moved || tools.otherOutlines || controlsOf([d]).some((v) => moved[v] > 0.01)
  return controlsOf(shown.value.filter(follows)).map((v) => ({
    v, ...plane.toPage(p[3 * v], p[3 * v + 1]), colour: weights ? `#${weightColour(weights[v]).getHexString()}` : undefined,
    on: picked.value.includes(v), tint: tints.value?.[v],
  }))
})
const tints = computed(() => (looks.tints ? live.frame?.region : undefined))
/** The handles of the point that is worked on and of those that are picked. */
const arms = computed(() => {
  if (!character.sculpting || looks.clean) return []
  const p = points.value
  const heads = new Set([...picked.value, ...(outline.under.value === null ? [] : [outline.under.value])])
  return [...heads].flatMap((v) => [1, 2].map((k) => ({
    key: v + k, vertex: v + k, from: plane.toPage(p[3 * v], p[3 * v + 1]), ...plane.toPage(p[3 * (v + k)], p[3 * (v + k) + 1]),
  })))
})

function box(of: Float32Array): { low: { x: number; y: number }; high: { x: number; y: number } } {
  const low = { x: Infinity, y: Infinity }, high = { x: -Infinity, y: -Infinity }
  for (let i = 0; i < of.length; i += 3) {
    low.x = Math.min(low.x, of[i])
    high.x = Math.max(high.x, of[i])
    low.y = Math.min(low.y, of[i + 1])
    high.y = Math.max(high.y, of[i + 1])
  }
  return { low, high }
}
function showAll(): void {
  const { low, high } = box(points.value)
  plane.show(low, high)
}
/** Zoom to the chosen joint. */
function face(): void {
  const dot = joints.place(posing.chosen)
  const reach = 0.16 * character.figure!.height
  if (dot) plane.show({ x: dot.x - reach, y: dot.y - reach }, { x: dot.x + reach, y: dot.y + reach })
}
watch([width, height, () => live.frame], () => {
  if (ready.value || !width.value || !height.value || !live.frame) return
  ready.value = true
  const left = resume.camera
  if (left && left.target[2] === -1) {
    plane.scale.value = left.at[2]
    plane.origin.value = { x: left.at[0], y: left.at[1] }
  } else showAll()
})
// What the eye of a solid is, for a drawing: the origin and the scale; told apart by its third number.
watch(transform, () => {
  if (ready.value) resume.camera = { at: [plane.origin.value.x, plane.origin.value.y, plane.scale.value], target: [0, 0, -1] }
})
watch(() => character.id, () => (ready.value = false))
watch(() => character.sculpting === null, () => (picked.value = []))

usePlainKeys({
  q: posing.toggleRest,
  j: () => (looks.joints = !looks.joints),
  f: face,
  o: showAll,
  c: () => (looks.clean = !looks.clean),
  '[': () => tools.resize(1 / 1.1),
  ']': () => tools.resize(1.1),
  ',': () => posing.step(-1),
  '.': () => posing.step(1),
})
useEventListener(host, 'wheel', plane.zoom, { passive: false })
onBeforeUnmount(() => (looks.clean = false))

function pressPoint(event: PointerEvent, vertex: number): void {
  if (character.sculpting) {
    event.stopPropagation()
    outline.grab(event, vertex)
  } else if (tools.spotting) {
    event.stopPropagation()
    const p = points.value
    tools.clickPiece(vertex, [p[3 * vertex], p[3 * vertex + 1], 0])
  } else if (event.altKey) tools.vertex = vertex
}
function press(event: PointerEvent): void {
  if (event.button === 0 && tools.making) return
  if (event.button === 0 && brush.paints.value) brush.press(event)
  else {
    if (character.sculpting && event.button === 0 && !event.shiftKey) picked.value = []
    plane.grab(event)
  }
}
function move(event: PointerEvent): void {
  if (!plane.drag(event)) brush.move(event)
}
function lift(event: PointerEvent): void {
  plane.drop()
  brush.lift()
  if (tools.making && event.button === 0) joints.make(plane.toWorld(event))
}
const dash: Record<string, string> = { rest: '6 4', start: '1.5 3.5', before: '9 3 2 3', after: '14 4' }
const degrees = (name: string) => twistDeg(posing.joints[name] ?? REST, [0, 0, 1]).toFixed(0)
</script>

<template>
  <div ref="host" class="view" :data-frame="live.framesShown" :data-ready="ready">
    <svg
      class="sheet" :class="{ making: tools.making }" :width="width" :height="height" role="group" :aria-label="`${character.state?.name ?? 'The drawing'} in its pose`"
      @pointerdown="press" @pointermove="move" @pointerup="lift" @pointercancel="plane.drop(); brush.lift()" @pointerleave="ring = null" @contextmenu.prevent
    >
      <g v-if="ready" :transform="transform" :class="{ lines: looks.shading === 'wire' }">
        <template v-for="t in things" :key="t.key">
          <path :d="t.inside" :fill="looks.shading === 'wire' ? 'none' : (t.fill ?? 'none')" :fill-opacity="t.fillOpacity" :fill-rule="t.evenOdd ? 'evenodd' : 'nonzero'" :data-part="t.part" />
          <template v-if="t.stroke && t.bands && looks.shading !== 'wire'">
            <path v-for="(b, k) in t.bands" :key="k" :d="b.d" fill="none" :stroke="t.stroke.colour" :stroke-opacity="t.stroke.opacity" :stroke-width="b.width" stroke-linecap="round" />
          </template>
          <path
            v-else-if="t.stroke || looks.shading === 'wire'" :d="t.line" fill="none" :stroke="looks.shading === 'wire' ? '#8a8298' : t.stroke!.colour" :stroke-opacity="t.stroke?.opacity ?? 1"
            :stroke-width="looks.shading === 'wire' ? 1.2 / plane.scale.value : t.width" :stroke-linecap="(t.stroke?.cap as 'butt' | undefined) ?? 'butt'" :stroke-linejoin="(t.stroke?.join as 'miter' | undefined) ?? 'round'"
            :stroke-miterlimit="t.stroke?.miter ?? 4" :stroke-dasharray="t.stroke?.dashes || undefined"
          />
        </template>
        <g v-if="!looks.clean" class="ghost" :style="{ opacity: looks.ghostStrength }" aria-hidden="true">
          <path v-for="(g, k) in ghost" :key="k" :d="g.d" :fill="g.fill ? '#8fb4ff' : 'none'" fill-opacity="0.14" :stroke-width="1.4 / plane.scale.value" :stroke-dasharray="dash[looks.ghost ?? 'rest'].split(' ').map((n) => Number(n) / plane.scale.value).join(' ')" />
        </g>
      </g>
      <g v-if="ready && looks.joints && !looks.clean && !character.sculpting" class="joints">
        <line v-for="b in bones" :key="b.key" :x1="b.x1" :y1="b.y1" :x2="b.x2" :y2="b.y2" class="bone" />
        <template v-for="d in dots" :key="d.name">
          <circle :cx="d.x" :cy="d.y" :r="d.name === posing.chosen ? 5 : 3.2" class="dot" :class="{ on: d.name === posing.chosen }" />
          <circle
            :cx="d.x" :cy="d.y" r="10" class="catch" :data-joint="d.name" @click.stop="joints.click(d.name)"
            @pointerdown.stop="joints.grab($event, d.name)" @pointermove="joints.drag" @pointerup.stop="joints.drop" @pointercancel="joints.cancel"
          ><title>{{ plainName(d.name) }}, {{ degrees(d.name) }}°{{ tools.placing ? ': drag it' : joints.canReach(d.name) ? ': drag it, and the two joints above it turn' : '' }}</title></circle>
        </template>
        <g v-if="arc" class="arc">
          <circle :cx="arc.cx" :cy="arc.cy" :r="arc.r" class="round" />
          <path :d="arc.sweep" class="sweep" />
          <line :x1="arc.cx" :y1="arc.cy" :x2="arc.x" :y2="arc.y" />
          <circle :cx="arc.x" :cy="arc.y" r="7" class="knob" data-arc="Z" tabindex="0" role="slider" :aria-label="`Turn ${plainName(posing.chosen).toLowerCase()}`" aria-valuemin="-180" aria-valuemax="180" :aria-valuenow="Math.round(posing.angle)" :aria-valuetext="`${Math.round(posing.angle)}°`" @keydown="joints.nudgeArc" @pointerdown.stop="joints.grabArc" @pointermove="joints.dragArc" @pointerup.stop="joints.dropArc" @pointercancel="joints.dropArc"><title>Turn {{ plainName(posing.chosen).toLowerCase() }}</title></circle>
        </g>
      </g>
      <g v-if="ready" class="points">
        <line v-for="a in arms" :key="a.key" :x1="a.from.x" :y1="a.from.y" :x2="a.x" :y2="a.y" class="arm" />
        <circle
          v-for="c in controls" :key="c.v" :cx="c.x" :cy="c.y" :r="character.sculpting ? 4 : 3.4" class="point" :class="{ on: c.on, fixed: !character.sculpting, tinted: (c.tint ?? 0) > 0.5 }"
          :style="c.colour ? { fill: c.colour } : undefined" :data-point="c.v"
          @pointerenter="outline.under.value = c.v" @pointerdown="pressPoint($event, c.v)" @pointermove="outline.drag" @pointerup="outline.drop" @pointercancel="outline.drop"
        />
        <circle
          v-for="a in arms" :key="`h${a.key}`" :cx="a.x" :cy="a.y" r="3.4" class="handle" :data-handle="a.vertex"
          @pointerdown.stop="outline.grab($event, a.vertex)" @pointermove="outline.drag" @pointerup="outline.drop" @pointercancel="outline.drop"
        />
        <circle v-if="ring && brush.paints.value" :cx="ring.x" :cy="ring.y" :r="ring.r" class="ring" />
      </g>
    </svg>
    <slot v-if="!looks.clean" />
    <p v-if="looks.clean" class="hint muted">The drawing alone; <kbd>C</kbd> brings everything back.</p>
  </div>
</template>

<style scoped>
.view { position: relative; overflow: hidden; background: #d9d5cc; min-width: 0; }
.sheet { display: block; width: 100%; height: 100%; touch-action: none; cursor: default; }
.making { cursor: crosshair; }
.ghost path { stroke: #2f5fbf; stroke-linejoin: round; }
.bone { stroke: #1d1b22; stroke-width: 1.6; opacity: 0.55; }
.dot { fill: #1d1b22; stroke: #fff; stroke-width: 1.5; }
.dot.on { fill: #1f8a6d; }
.catch { fill: transparent; cursor: pointer; }
.catch:hover { fill: #1f8a6d33; }
.round { fill: none; stroke: #1d1b22; stroke-opacity: 0.25; stroke-width: 1.5; }
.sweep { fill: #1f8a6d2e; stroke: none; }
.arc line { stroke: #1f8a6d; stroke-width: 1.5; }
.knob { fill: #1f8a6d; stroke: #fff; stroke-width: 1.5; cursor: grab; }
.point { fill: #fff; stroke: #1d1b22; stroke-width: 1.4; cursor: move; }
.point.on { fill: #ffd166; }
.point.fixed { cursor: inherit; stroke-width: 1; }
.point.tinted { stroke: #ff6a3c; stroke-width: 2.4; }
.handle { fill: #1f8a6d; stroke: #fff; stroke-width: 1.2; cursor: move; }
.arm { stroke: #1f8a6d; stroke-width: 1.2; }
.ring { fill: none; stroke: #1d1b22; stroke-width: 1.2; pointer-events: none; }
.hint { position: absolute; left: 12px; bottom: 10px; font-size: 12px; color: #4b4656; }
</style>
