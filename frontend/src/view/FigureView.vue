<script setup lang="ts">
/** The view: the figure, joints, cameras; what the pointer does is in useBrush, useArcs, usePlacing and useWipe. */
import { useElementSize, useEventListener } from '@vueuse/core'
import { Vector3 } from 'three'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { plainName, sameAxis, axisName } from '@/workbench/angles'
import { useTools } from '@/workbench/tools'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { useResume } from '@/workbench/resume'
import { Figure } from './figure'
import MovedScale from './MovedScale.vue'
import { jointDots, jointPlace, project, type Arc, type Bone, type Dot } from './joints'
import { apartFrom, boneOwners } from './limbs'
import { BARS } from './bars'
import { Stage } from './stage'
import { useArcs } from './useArcs'
import { useBrush } from './useBrush'
import { useEye } from './useEye'
import { useHelperPath, type StopDot } from './useHelperPath'
import { usePlacing, type MarkerDot } from './usePlacing'
import { useViewKeys } from './useViewKeys'
import { useReach } from './useReach'
import { useWipe } from './useWipe'

const character = useCharacter()
const posing = usePose()
const live = useLive()
const looks = useLook()
const tools = useTools()
const resume = useResume()
const host = ref<HTMLDivElement>()
const canvas = ref<HTMLCanvasElement>()
const { width, height } = useElementSize(host)
const dots = shallowRef<Dot[]>([])
const bones = shallowRef<Bone[]>([])
const arcs = shallowRef<Arc[]>([])
const markers = shallowRef<MarkerDot[]>([])
const shown = ref(0)
/** From which side the joint is faced, or one of these. */
const WHOLE = -1, NO_SIDE = -2
const side = ref(WHOLE)
const ready = ref(false)
let stage: Stage | null = null
let figure: Figure | null = null

/** How much of the figure's height round a joint is looked at, and what share of the view is too small for it. */
const JOINT = 0.14, SMALL = 0.3
const SIDES = [['Outer', 'outer side'], ['Front', 'front'], ['Inner', 'inner side'], ['Back', 'back']]
const scene = () => (stage && figure ? { stage, figure } : null)
const { ring, otherRing, leave, under, brushing, press, move, lift, loop, partUnder } = useBrush(canvas, scene)
const placing = usePlacing(scene)
const bending = useArcs(() => stage)
const reach = useReach(() => stage)
const helper = useHelperPath(() => stage?.invalidate())
const path = ref('')
const stops = shallowRef<StopDot[]>([])
const seen = () => ({ camera: stage!.camera, width: width.value, height: height.value })
useEye(scene)
const wipe = useWipe(host, () => stage)
const split = wipe.split

/** The joint that is meant where the circles of several lie over each other: the one nearest to the pointer. */
function nearest(event: MouseEvent, name: string): string {
  const box = host.value!.getBoundingClientRect()
  const away = (d: Dot) => Math.hypot(d.x - event.clientX + box.left, d.y - event.clientY + box.top)
  const own = dots.value.find((d) => d.name === name)
  return dots.value.reduce<Dot | undefined>((best, d) => (d.seen && (!best || away(d) < away(best)) ? d : best), own)?.name ?? name
}

/** Whether a label to the right of a marker would lie under the bars in the corner. */
const besideBars = (m: MarkerDot) => m.y < BARS + 10 && m.x > width.value - 470
/** Whether what the wipe tells apart would be named under the bars. */
const tagsBelow = computed(() => wipe.at.value * width.value > width.value - 280)

function draw(): void {
  if (!stage || !figure) return
  const { renderer, scene, camera } = stage
  figure.clear(clearing())
  const wire = looks.shading === 'wire' || brushing.value
  const pass = (which: 'with' | 'without', x: number, w: number) => {
    if (w <= 0) return
    figure!.show(which, wire)
    renderer.setScissor(x, 0, w, height.value)
    renderer.render(scene, camera)
  }
  renderer.setScissorTest(true)
  const at = split.value ? Math.round(wipe.at.value * width.value) : looks.holding ? width.value : 0
  pass('without', 0, at)
  pass('with', at, width.value - at)
  renderer.setScissorTest(false)
}

function overlay(): void {
  shown.value = live.framesShown
  const frame = live.frame
  // A frame of before the joints were edited holds another number of them.
  if (!stage || !character.figure || !frame || frame.joints.length !== 7 * character.figure.nodes) return
  const view = { camera: stage.camera, width: width.value, height: height.value }
  const found = jointDots(character.figure, frame.joints, view)
  dots.value = found.dots.map((d) => {
    const moved = live.moving
    return moved?.joint === d.name ? { ...d, ...project(new Vector3(...moved.at), view) } : d
  })
  bones.value = found.bones
  arcs.value = brushing.value || tools.placing || tools.making || tools.piecing ? [] : bending.chosenArcs(view)
  markers.value = placing.markerDots(view)
  path.value = brushing.value ? '' : helper.line(view)
  stops.value = brushing.value ? [] : helper.stops(view)
}

/** A direction, said with Y up, in the space of the file. */
const inFile = (x: number, y: number, z: number) => (character.state?.up === 'z' ? new Vector3(x, -z, y) : new Vector3(x, y, z))
watch(() => character.state?.up, (now, before) => {
  stage?.setUp(inFile(0, 1, 0))
  if (now && before && now !== before) faceAll()
}, { flush: 'post' })

const directions = computed(() => {
  const left = (posing.jointInfo?.at[0] ?? 0) >= 0 ? 1 : -1
  return [inFile(left, 0.15, 0.55), inFile(0, 0.1, 1), inFile(-left, 0.2, 0.5), inFile(left * 0.3, 0.15, -1)]
})

/** Face the chosen joint from one of four sides. */
function face(which: number): void {
  side.value = which % SIDES.length
  const info = posing.jointInfo, frame = live.frame
  if (!stage || !info || !character.figure) return
  const at = frame ? jointPlace(frame.joints, info.index) : new Vector3(...(info.at as [number, number, number]))
  stage.face(at, directions.value[side.value], character.figure.height * JOINT)
  wipe.centre()
}

function faceAll(): void {
  if (!stage || !character.mesh) return
  const p = live.frame?.with ?? character.mesh.rest
  const low = new Vector3(Infinity, Infinity, Infinity), high = low.clone().negate()
  for (let i = 0; i < p.length; i += 3) {
    const v = new Vector3(p[i], p[i + 1], p[i + 2])
    low.min(v)
    high.max(v)
  }
  side.value = WHOLE
  stage.face(low.clone().add(high).multiplyScalar(0.5), inFile(0.25, 0.1, 1), low.distanceTo(high) * 0.46, Math.min(BARS / Math.max(height.value, 1), 0.5))
}

/** A joint that is out of sight, or small, is brought into view when it is chosen. */
function bring(): void {
  const info = posing.jointInfo, frame = live.frame
  if (!stage || !info || !frame || !character.figure || brushing.value || tools.placing || tools.making) return
  const { x, y } = project(jointPlace(frame.joints, info.index), { camera: stage.camera, width: 1, height: 1 })
  if (x < 0.08 || x > 0.92 || y < 0.08 || y > 0.92 || sizeInView(info.index) < SMALL) face(Math.max(side.value, 0))
}
/** What share of the view's height a joint takes with what is round it. */
function sizeInView(joint: number): number {
  const { camera } = stage!
  const away = camera.position.distanceTo(jointPlace(live.frame!.joints, joint))
  return (JOINT * character.figure!.height) / (away * Math.tan((camera.fov * Math.PI) / 360))
}
watch([() => posing.chosen, () => posing.choices], ([name], [before]) => name && before && ready.value && bring(), { flush: 'post' })

/** The joint that is looked at closely is hidden by nothing of another limb. */
function clearing(): { at: Vector3; reach: number } | null {
  const info = posing.jointInfo, frame = live.frame
  if (!stage || !info || !frame || !character.figure || tools.placing || tools.making) return null
  if (sizeInView(info.index) < SMALL) return null
  tellApart(info.index)
  return { at: jointPlace(frame.joints, info.index), reach: 0.11 * character.figure.height }
}
/** Whose bones the vertices follow, and the joint that they are told apart for: worked out when first looked at closely. */
let owners: Int32Array | null = null
let apartOf: number | null = null
function tellApart(joint: number): void {
  const { figure: known, mesh } = character
  if (!figure || !known || !mesh || apartOf === joint) return
  apartOf = joint
  owners ??= boneOwners(known, mesh.rest)
  figure.setApart((out) => apartFrom(known, owners!, joint, out))
}
watch(() => character.figure, () => (owners = apartOf = null))

onMounted(() => {
  stage = new Stage(canvas.value!, draw, overlay, () => {
    const { camera, controls } = stage!
    if (ready.value) resume.camera = { at: camera.position.toArray(), target: controls.target.toArray() }
  })
  stage.setUp(inFile(0, 1, 0))
  stage.setLens(looks.lens)
  build()
})
function build(): void {
  if (!stage || !character.mesh || !width.value || figure) return
  figure = new Figure(character.mesh, stage.scene)
  paint()
  hideParts()
  apartOf = null
  stage.resize(width.value, height.value)
  faceAll()
}
watch([width, height], () => {
  build()
  if (width.value && height.value) stage?.resize(width.value, height.value)
})
watch(() => character.mesh, (mesh) => {
  figure?.dispose()
  figure = null
  ready.value = false
  if (mesh) build()
})
watch(() => live.frame, (frame) => {
  if (!frame || !figure || frame.with.length !== character.mesh?.rest.length) return
  figure.with.move(frame.with)
  if (frame.without) figure.without.move(frame.without)
  figure.seeThrough(frame.ghost ?? null)
  paint()
  figure.follow()
  if (!ready.value) {
    ready.value = true
    const left = resume.camera
    if (left) {
      side.value = NO_SIDE
      stage!.stand(new Vector3(...left.at), new Vector3(...left.target))
    }
    else faceAll()
    wipe.centre()
  }
  stage!.invalidate()
})
function paint(): void {
  const frame = live.frame
  if (!figure || !frame) return
  figure.tint(looks.tints ? (frame.region ?? null) : null)
  const look = looks.shading === 'wire' ? 'clay' : looks.shading
  const field = look === 'weights' ? frame.weights : look === 'mixed' ? frame.mixed : frame.heat
  const needsField = look === 'weights' || look === 'mixed' || look === 'volume'
  figure.paint(needsField && !field ? 'clay' : look, field, frame.heat_without)
}
function hideParts(): void {
  const parts = character.figure?.parts ?? []
  const kept = parts.filter((p) => !looks.hidden.includes(p.name)).map((p) => p.drawn as [number, number])
  figure?.keep(kept.length === parts.length ? null : kept)
}
watch([() => looks.shading, () => looks.tints], () => {
  paint()
  figure?.follow()
  stage?.invalidate()
})
watch(() => looks.place, (at) => {
  if (!at || !stage || !character.figure) return
  const place = new Vector3(...at)
  // From where its side of the body is seen.
  const [x, , z] = character.upright(at)
  const from = inFile(x, 0.1 * character.figure.height, z).normalize()
  stage.face(place, from, character.figure.height * 0.1)
})
watch(() => looks.hidden, () => {
  hideParts()
  stage?.invalidate()
})
watch([wipe.at, () => looks.wipe, () => looks.holding, () => looks.shading, () => posing.chosen, () => posing.axis, () => looks.joints, () => character.figure, () => tools.tool, () => tools.spotting, () => tools.masking, () => tools.markers, split], () => stage?.invalidate())
// The last place of the pointer, for the key that hides the part under it.
let pointer: PointerEvent | null = null
useEventListener(canvas, 'pointermove', (event: PointerEvent) => (pointer = event))
function hideUnder(): void {
  const part = pointer && partUnder(pointer)
  if (part && looks.hidden.length < (character.figure?.parts.length ?? 0) - 1) looks.hidden = [...looks.hidden, part]
}
onBeforeUnmount(() => {
  figure?.dispose()
  stage?.dispose()
})
useViewKeys({ face: () => face(Math.max(side.value, WHOLE) + 1), faceAll, hideUnder })
</script>

<template>
  <div ref="host" class="view" :data-frame="shown" :data-ready="ready">
    <canvas
      ref="canvas"
      :aria-label="`${character.state?.name ?? 'The character'} in its pose`" role="img"
      :class="{ making: tools.making }"
      @pointerdown="tools.making ? placing.press($event) : press($event)"
      @pointermove="move"
      @pointerup="tools.making ? placing.lift($event) : lift($event)"
      @pointercancel="lift"
      @dblclick="loop"
      @pointerleave="leave"
    />
    <svg v-if="ready" class="over" :width="width" :height="height" :aria-hidden="markers.length === 0 && stops.length === 0 && arcs.length === 0" :role="markers.length ? 'group' : undefined" :aria-label="markers.length ? 'Markers' : undefined">
      <g v-if="looks.joints" aria-hidden="true">
        <line v-for="b in bones" :key="b.key" :x1="b.x1" :y1="b.y1" :x2="b.x2" :y2="b.y2" class="bone" />
        <template v-for="d in dots" :key="d.name">
          <circle v-if="d.seen" :cx="d.x" :cy="d.y" :r="d.name === posing.chosen ? 5 : 3" class="dot" :class="{ on: d.name === posing.chosen }" />
          <circle
            v-if="d.seen && !brushing" :cx="d.x" :cy="d.y" r="9" class="catch" :data-joint="d.name"
            :class="{ grab: tools.placing }" @click="reach.dragged() || posing.chooseJoint(tools.placing ? d.name : nearest($event, d.name))"
            @pointerdown="tools.placing ? placing.grabJoint($event, d.name) : reach.grab($event, nearest($event, d.name))" @pointermove="tools.placing ? placing.drag($event) : reach.drag($event)"
            @pointerup="tools.placing ? placing.drop() : reach.drop()" @pointercancel="tools.placing ? placing.cancel() : reach.cancel()"
          ><title>{{ plainName(d.name) }}{{ !tools.placing && reach.canReach(d.name) ? ': drag it, and the two joints above it turn' : '' }}</title></circle>
        </template>
      </g>
      <g v-if="looks.joints">
        <g v-for="a in arcs" :key="a.axis.join()" class="arc" :class="{ on: sameAxis(a.axis, posing.axis) }">
          <path :d="a.path" class="line" />
          <path :d="a.path" class="hold" @pointerdown="bending.grab($event, a)" @pointermove="bending.drag" @pointerup="bending.drop" />
          <circle
            :cx="a.knobX" :cy="a.knobY" r="6" class="knob" :data-arc="axisName(a.axis)" tabindex="0" role="slider" :aria-label="`Bend about ${axisName(a.axis)}`" aria-valuemin="-180" aria-valuemax="180"
            :aria-valuenow="Math.round(bending.turned(a.axis))" :aria-valuetext="`${Math.round(bending.turned(a.axis))}°`" @keydown="bending.nudge($event, a)"
            @pointerdown="bending.grab($event, a)" @pointermove="bending.drag" @pointerup="bending.drop"
          ><title>Bend about {{ axisName(a.axis) }}</title></circle>
        </g>
      </g>
      <g v-if="path || stops.length" class="way" role="group" aria-label="The way of the helper joint">
        <path :d="path" />
        <circle v-for="s in stops" :key="`${s.rule} ${s.knot}`" :cx="s.x" :cy="s.y" r="6" tabindex="0" role="button" :aria-label="`${s.label}: drag it, or move it by the arrow keys`" :data-stop="s.knot" @pointerdown="helper.grab($event, s, seen())" @pointermove="helper.drag" @pointerup="helper.drop" @pointercancel="helper.drop" @keydown="helper.nudge($event, s)" @blur="helper.rest"><title>{{ s.label }}: drag it</title></circle>
      </g>
      <g v-for="m in markers" :key="m.name" class="marker">
        <circle v-if="m.twin" :cx="m.twin.x" :cy="m.twin.y" r="4" class="ghost" />
        <circle :cx="m.x" :cy="m.y" r="7" class="spot" :data-marker="m.name" tabindex="0" role="button" :aria-label="`Marker ${m.label}: move it by the arrow keys`" @keydown="placing.nudgeMarker($event, m.name)" @pointerdown="placing.grabMarker($event, m.name)" @pointermove="placing.drag" @pointerup="placing.drop" @pointercancel="placing.cancel" />
        <text :x="m.x + (besideBars(m) ? -12 : 12)" :y="m.y + 4" :text-anchor="besideBars(m) ? 'end' : 'start'">{{ m.label }}</text>
      </g>
      <circle v-if="ring" :cx="ring.x" :cy="ring.y" :r="ring.r" class="ring" />
      <circle v-if="otherRing" :cx="otherRing.x" :cy="otherRing.y" :r="otherRing.r" class="ring other" />
      <circle v-if="ring" :cx="ring.x" :cy="ring.y" r="2" class="ring-dot" />
    </svg>
    <template v-if="split">
      <div class="tag" :class="{ below: tagsBelow }" :style="{ right: `${(1 - wipe.at.value) * 100}%` }">without</div>
      <div class="tag on" :class="{ below: tagsBelow }" :style="{ left: `${wipe.at.value * 100}%` }">with</div>
      <div class="wipe" :style="{ left: `${wipe.at.value * 100}%` }" />
      <button
        class="grip" aria-label="Move the wipe" :style="{ left: `${wipe.at.value * 100}%` }"
        @pointerdown="wipe.grab" @pointermove="wipe.drag" @pointerup="wipe.drop"
        @keydown.left="wipe.nudge(-0.03)" @keydown.right="wipe.nudge(0.03)"
      >◂ ▸</button>
    </template>
    <div v-else-if="looks.holding" class="tag still">without remedies</div>
    <MovedScale v-if="looks.moved && live.frame?.moved_most != null" :most="live.frame.moved_most" />
    <div v-if="ring && tools.painting && under !== null" class="readout" :style="{ left: `${ring.x + ring.r + 12}px`, top: `${ring.y - 12}px` }">
      weight <b class="num">{{ under.toFixed(2) }}</b>
    </div>
    <div v-else-if="ring && !tools.picking && live.frame?.measures?.with.volume != null" class="readout" :style="{ left: `${ring.x + ring.r + 12}px`, top: `${ring.y - 12}px` }">
      volume <b class="num good">{{ live.frame.measures.with.volume.toFixed(1) }} %</b>
    </div>
    <div class="cameras">
      <button v-for="([label, name], k) in SIDES" :key="name" :class="{ on: side === k }" :aria-label="`Face the joint, ${name}`" :title="`Face the joint, ${name} (F: next side)`" @click="face(k)">{{ label }}</button>
      <button aria-label="Whole: show the whole figure" title="Show the whole figure (O)" :class="{ on: side === WHOLE }" @click="faceAll">Whole</button>
    </div>
    <slot />
  </div>
</template>

<style scoped>
.view { position: relative; user-select: none; overflow: hidden; background: var(--ground); min-width: 0; min-height: 0; }
canvas { position: absolute; inset: 0; width: 100%; height: 100%; display: block; touch-action: none; }
canvas.making { cursor: crosshair; }
.over { position: absolute; inset: 0; pointer-events: none; }
.bone { stroke: #ece8f1; stroke-opacity: 0.22; stroke-width: 1.2; }
.dot { fill: #1d1b22; fill-opacity: 0.35; stroke: #ece8f1; stroke-opacity: 0.55; stroke-width: 1.2; }
.dot.on { stroke: var(--accent); stroke-opacity: 1; fill: var(--accent); fill-opacity: 0.4; }
.catch { fill: transparent; pointer-events: all; cursor: pointer; }
.catch.grab { cursor: move; }
.marker .spot { fill: var(--accent); fill-opacity: 0.35; stroke: var(--accent); stroke-width: 2; pointer-events: all; cursor: move; }
.marker .spot:focus-visible { outline: none; fill-opacity: 0.8; stroke: var(--text); }
.marker .ghost { fill: #1d1b22; fill-opacity: 0.5; stroke: var(--accent); stroke-width: 1.5; }
.marker text { fill: var(--text); font-size: 12px; paint-order: stroke; stroke: #1d1b22; stroke-width: 3px; }
.arc .line { fill: none; stroke: #ece8f1; stroke-opacity: 0.18; stroke-width: 1.2; }
.arc.on .line { stroke: var(--accent); stroke-opacity: 0.85; stroke-width: 1.8; }
.arc .hold { fill: none; stroke: transparent; stroke-width: 9; pointer-events: stroke; cursor: grab; }
.arc .knob { fill: #26232d; fill-opacity: 0.85; stroke: #ece8f1; stroke-opacity: 0.4; stroke-width: 1.5; pointer-events: all; cursor: grab; }
.arc.on .knob { stroke: var(--accent); stroke-opacity: 1; }
.arc .knob:focus-visible { outline: 2px solid var(--accent); outline-offset: 3px; }
.way path { fill: none; stroke: var(--warn); stroke-width: 1.8; stroke-dasharray: 5 3; }
.way circle { fill: #26232d; stroke: var(--warn); stroke-width: 2; pointer-events: all; cursor: grab; }
.way circle:focus-visible { outline: none; fill: var(--warn); }
.ring { fill: #7fd1b922; stroke: var(--accent); stroke-width: 1.5; }
.ring.other { fill: none; stroke-dasharray: 4 4; }
.ring-dot { fill: var(--accent); }
.wipe { position: absolute; top: 0; bottom: 0; width: 1px; background: #ece8f188; pointer-events: none; }
.grip { position: absolute; top: calc(62% - 19px); margin-left: -12px; width: 25px; height: 38px; border-radius: 13px; padding: 0;
  background: var(--raised); border: 1px solid #ece8f188; color: var(--text); font-size: 10px; cursor: ew-resize; touch-action: none; }
.tag { position: absolute; top: 12px; margin: 0 8px; padding: 2px 9px; border-radius: 4px; background: #1d1b22cc; font-size: 12px; color: var(--muted); pointer-events: none; }
.tag.below { top: 84px; }
.tag.on { color: var(--accent); }
.tag.still { left: 12px; color: var(--loss); }
.readout { position: absolute; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 2px 8px; font-size: 12px; pointer-events: none; white-space: nowrap; }
.cameras { position: absolute; left: 12px; bottom: 12px; display: flex; gap: 6px; align-items: center; font-size: 12px; color: var(--muted); }
.cameras button { height: 24px; padding: 0 9px; border-radius: 12px; border: 1px solid #5b5568; background: #26232dcc; color: var(--text); font: inherit; cursor: pointer; }
.cameras button.on { border-color: var(--accent); color: var(--accent); }
</style>
