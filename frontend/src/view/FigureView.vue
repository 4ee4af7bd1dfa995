<script setup lang="ts">
/** The view: the figure, joints, cameras; what the pointer does is in useBrush, useArcs, usePlacing and useWipe. */
import { useElementSize, useEventListener } from '@vueuse/core'
import { Vector3 } from 'three'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { useTools } from '@/workbench/tools'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { useResume } from '@/workbench/resume'
import { Figure } from './figure'
import FigureOverlay from './FigureOverlay.vue'
import FieldScale from './FieldScale.vue'
import MovedScale from './MovedScale.vue'
import { jointDots, project, type Arc, type Bone, type Dot } from './joints'
import { Stage } from './stage'
import { useArcs } from './useArcs'
import { useBrush } from './useBrush'
import { useClearing } from './useClearing'
import { useEye } from './useEye'
import { NO_SIDE, SIDES, useFraming, WHOLE } from './useFraming'
import { useHelperPath, type StopDot } from './useHelperPath'
import { usePlacing, type MarkerDot } from './usePlacing'
import { useViewKeys } from './useViewKeys'
import { useReach } from './useReach'
import { useSurface } from './useSurface'
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
const ready = ref(false)
let stage: Stage | null = null
let figure: Figure | null = null

const scene = () => (stage && figure ? { stage, figure } : null)
const { ring, otherRing, leave, under, brushing, press, move, lift, loop, partUnder, vertexUnder } = useBrush(canvas, scene)
const placing = usePlacing(scene)
const bending = useArcs(() => stage)
const reach = useReach(() => stage)
const helper = useHelperPath(() => stage?.invalidate())
const path = ref('')
const stops = shallowRef<StopDot[]>([])
const seen = () => ({ camera: stage!.camera, width: width.value, height: height.value })
useEye(scene)
useSurface(() => figure, () => {
  hideParts()
  paint()
  figure?.follow()
  stage?.invalidate()
})
const wipe = useWipe(host, () => stage)
const split = wipe.split
const { side, inFile, face, faceAll, bring, isSmall } = useFraming({ stage: () => stage, height, still: () => brushing.value || tools.placing || tools.making, turned: wipe.centre })
const { clearing, forget } = useClearing(() => figure, isSmall)

/** Whether what the wipe tells apart would be named under the bars. */
const tagsBelow = computed(() => wipe.at.value * width.value > width.value - 70 - (host.value?.querySelector<HTMLElement>('.chips')?.offsetWidth ?? 210))

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

/** A small picture of the middle of what is seen. */
function picture(): Promise<Blob | null> {
  draw()
  const from = canvas.value!, small = document.createElement('canvas'), side = Math.min(from.width, from.height)
  small.width = small.height = 192
  small.getContext('2d')!.drawImage(from, (from.width - side) / 2, (from.height - side) / 2, side, side, 0, 0, 192, 192)
  return new Promise((resolve) => small.toBlob(resolve, 'image/png'))
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

watch([() => posing.chosen, () => posing.choices], ([name], [before]) => name && before && ready.value && bring(), { flush: 'post' })

onMounted(() => {
  stage = new Stage(canvas.value!, draw, overlay, () => {
    const { camera, controls } = stage!
    if (ready.value) resume.camera = { at: camera.position.toArray(), target: controls.target.toArray() }
  })
  stage.setUp(inFile(0, 1, 0))
  stage.setLens(looks.lens)
  looks.picture = picture
  build()
})
function build(): void {
  if (!stage || !character.mesh || !width.value || figure) return
  figure = new Figure(character.mesh, stage.scene)
  paint()
  hideParts()
  forget()
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
  const field = { weights: frame.weights, mixed: frame.mixed, volume: frame.heat }[look as string] ?? (looks.skin ? frame.skin : undefined)
  const needsField = looks.showsWeights || look === 'volume' || looks.skin !== null
  figure.paint(needsField && !field ? 'clay' : look, field, looks.skin ? frame.skin_without : frame.heat_without)
}
function hideParts(): void {
  const parts = character.figure?.parts ?? []
  const kept = parts.filter((p) => !looks.hidden.includes(p.name)).map((p) => p.drawn as [number, number])
  figure?.keep(kept.length === parts.length ? null : kept, (part) => looks.hidden.includes(parts[part]?.name ?? ''))
}
watch([() => looks.shading, () => looks.tints], () => {
  paint()
  figure?.follow()
  stage?.invalidate()
})
watch(() => looks.hidden, () => {
  hideParts()
  stage?.invalidate()
})
watch([wipe.at, () => looks.wipe, () => looks.holding, () => looks.shading, () => posing.chosen, () => posing.axis, () => looks.joints, () => character.figure, () => tools.tool, () => tools.spotting, () => tools.masking, () => tools.markers, split], () => stage?.invalidate())
/** The number of the field that is shown at the pointer, or null. */
const here = ref<number | null>(null)
function moveOver(event: PointerEvent): void {
  move(event)
  const field = looks.skin ? live.frame?.skin : looks.shading === 'volume' ? live.frame?.heat : undefined
  const vertex = field && !event.buttons ? vertexUnder(event) : null
  here.value = field && vertex !== null ? (field[vertex] ?? null) : null
}
// The last place of the pointer, for the key that hides the part under it.
let pointer: PointerEvent | null = null
useEventListener(canvas, 'pointermove', (event: PointerEvent) => (pointer = event))
function hideUnder(): void {
  const part = pointer && partUnder(pointer)
  if (part && looks.hidden.length < (character.figure?.parts.length ?? 0) - 1) looks.hidden = [...looks.hidden, part]
}
onBeforeUnmount(() => {
  looks.picture = null
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
      @pointermove="moveOver"
      @pointerup="tools.making ? placing.lift($event) : lift($event)"
      @pointercancel="lift"
      @dblclick="loop"
      @pointerleave="leave"
    />
    <FigureOverlay v-if="ready" v-bind="{ dots, bones, arcs, markers, path, stops, ring, otherRing, brushing, width, height, placing, bending, reach, helper, seen }" />
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
    <FieldScale v-if="looks.skin || looks.shading === 'volume'" :field="looks.skin ?? 'volume'" :here="here" />
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
