/**
 * The brush over the figure: pointer events in, touches out, and the ring that follows the surface.
 *
 * The same brush sculpts, paints weights and picks; what a touch does is for the tools to say.
 */
import { onKeyStroke } from '@vueuse/core'
import { Raycaster, Vector3, type Intersection } from 'three'
import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { Problem } from '@/api/client'
import type { Dab } from '@/api/live'
import { isTyping } from '@/workbench/keys'
import { useTools } from '@/workbench/tools'
import { say, useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import type { Figure } from './figure'
import { project } from './joints'
import type { Stage } from './stage'

/** A press that moves less than this many pixels is a click. */
export const STILL = 3
/** How long a click waits for a second one, milliseconds. */
const DOUBLE = 260

/** Whether a plain key is held down. */
function useHeldKey(key: string) {
  const held = ref(false)
  onKeyStroke(key, (event) => (held.value = !isTyping(event)))
  onKeyStroke(key, () => (held.value = false), { eventName: 'keyup' })
  return held
}

export function useBrush(canvas: Ref<HTMLCanvasElement | undefined>, scene: () => { stage: Stage; figure: Figure } | null) {
  const character = useCharacter()
  const live = useLive()
  const looks = useLook()
  const tools = useTools()
  const ring = shallowRef<{ x: number; y: number; r: number } | null>(null)
  /** The ring on the other side while strokes are mirrored. */
  const otherRing = shallowRef<{ x: number; y: number; r: number } | null>(null)
  /** The weight under the pointer while weights are painted. */
  const under = ref<number | null>(null)
  const brushing = computed(() => tools.brushing)
  const dialHeld = useHeldKey('d')
  const smoothHeld = useHeldKey('s')
  watch(smoothHeld, (held) => (tools.smoothing = held && brushing.value))
  const caster = new Raycaster()
  let lastSize = tools.brushSize
  let stroke: { start: Vector3; triangle: number; x: number; y: number } | null = null
  let sizing: { x: number; y: number; size: number; strength: number } | null = null

  /** Where the pointer meets the skin: the front, or what lies behind it where the brush is to reach through. */
  function hit(event: PointerEvent): Intersection | null {
    const now = scene()
    if (!now) return null
    now.stage.aim(caster, event)
    const eye = now.stage.camera.position
    const hits = caster.intersectObject(now.figure.with.mesh).filter((h) => !h.face || !(now.figure.faded(h.face.a, h.point, eye) || now.figure.hidden(h.face.a) || now.stage.isCut(h.point)))
    const facing = hits.filter((h) => h.face && h.face.normal.dot(caster.ray.direction) < 0)
    // A mesh that is wound inside out faces away everywhere, and is still worked on.
    const fronts = facing.length ? facing : hits
    return fronts[tools.layer - 1] ?? null
  }

  const metresPerPixel = (at: Vector3) => {
    const { camera } = scene()!.stage
    const height = canvas.value!.clientHeight
    return (2 * camera.position.distanceTo(at) * Math.tan((camera.fov * Math.PI) / 360)) / Math.max(height, 1)
  }

  function touch(event: PointerEvent, triangle: number, at: Vector3, drag: Vector3): void {
    const pressure = event.pointerType === 'pen' ? event.pressure * 2 : 1
    const turned = event.shiftKey ? -1 : 1
    const strength = Math.min(tools.brushStrength * pressure, 1) * turned
    const dab: Dab = {
      triangle,
      at: [at.x, at.y, at.z],
      radius: tools.brushReach,
      strength: tools.grabs ? turned : strength,
      drag: [drag.x, drag.y, drag.z],
      falloff: tools.picking ? 1 : tools.brushFalloff,
    }
    tools.touch(dab)
  }

  /** The vertex nearest to the pointer; null beside the figure. */
  function vertexUnder(event: PointerEvent): number | null {
    const found = hit(event)
    const points = live.frame?.with
    if (!found?.face || !points) return null
    const { a, b, c } = found.face
    const away = (v: number) => found.point.distanceTo(new Vector3(points[3 * v], points[3 * v + 1], points[3 * v + 2]))
    return [a, b, c].reduce((best, v) => (away(v) < away(best) ? v : best))
  }

  /** Choose the vertex nearest to the pointer, to list what it follows. */
  function pick(event: PointerEvent): void {
    const vertex = vertexUnder(event)
    if (vertex !== null) tools.vertex = vertex
  }

  /** Where the brush works on the other side: at the mirror image of the vertex under it. */
  function mirrorOf(found: Intersection): { x: number; y: number; r: number } | null {
    const points = live.frame?.with, twins = tools.twins
    if (!found.face || !points || !twins) return null
    const twin = twins[found.face.a]
    if (twin < 0 || twin === found.face.a) return null
    const at = new Vector3(points[3 * twin], points[3 * twin + 1], points[3 * twin + 2])
    const seen = project(at, { camera: scene()!.stage.camera, width: canvas.value!.clientWidth, height: canvas.value!.clientHeight })
    return { x: seen.x, y: seen.y, r: tools.brushReach / metresPerPixel(at) }
  }
  const leave = () => (ring.value = otherRing.value = null)

  function press(event: PointerEvent): void {
    const now = scene()
    if (!now || event.button !== 0) return
    if (event.altKey && looks.showsWeights) {
      pick(event)
      return
    }
    if (tools.piecing) {
      clicking = { x: event.clientX, y: event.clientY }
      return
    }
    if (!brushing.value) return
    if (dialHeld.value) {
      sizing = { x: event.clientX, y: event.clientY, size: tools.brushSize, strength: tools.brushStrength }
      now.stage.controls.enabled = false
      canvas.value!.setPointerCapture(event.pointerId)
      return
    }
    const found = hit(event)
    if (!found || found.faceIndex == null) return
    if (live.gone) {
      say(new Problem('The character was deleted in another window: bring it back above, then go on.'))
      return
    }
    if (live.elsewhere) {
      say(new Problem('The character is being edited in another window: take over above, or wait.'))
      return
    }
    now.stage.controls.enabled = false
    canvas.value!.setPointerCapture(event.pointerId)
    stroke = { start: found.point, triangle: found.faceIndex, x: event.clientX, y: event.clientY }
    // While picking, a click may be the first of two, which pick a loop: it waits.
    if (!tools.picking) touch(event, found.faceIndex, found.point, new Vector3())
    else waiting = { event, triangle: found.faceIndex, at: found.point }
  }

  /** What a first click would pick, if no second one comes. */
  let waiting: { event: PointerEvent; triangle: number; at: Vector3 } | null = null
  let timer = 0
  let clicking: { x: number; y: number } | null = null

  function touchWaiting(): void {
    if (!waiting) return
    touch(waiting.event, waiting.triangle, waiting.at, new Vector3())
    waiting = null
  }

  /** Two clicks on an edge pick its loop. */
  function loop(event: MouseEvent): void {
    if (!tools.picking) return
    window.clearTimeout(timer)
    waiting = null
    const found = hit(event as PointerEvent)
    if (found?.faceIndex != null) void tools.pickAt('loop', found.faceIndex, [found.point.x, found.point.y, found.point.z])
  }

  /** The name of the part under the pointer, to hide it. */
  function partUnder(event: PointerEvent): string | null {
    const face = hit(event)?.faceIndex
    if (face == null) return null
    return character.figure?.parts.find((p) => face >= p.drawn[0] && face < p.drawn[1])?.name ?? null
  }

  function move(event: PointerEvent): void {
    const now = scene()
    if (!now || !brushing.value) {
      leave()
      return
    }
    if (sizing) {
      tools.brushSize = Math.max(0.005, Math.min(0.25, sizing.size * Math.exp((event.clientX - sizing.x) / 120)))
      tools.brushStrength = Math.max(0.02, Math.min(1, sizing.strength + (sizing.y - event.clientY) / 200))
      if (ring.value) ring.value = { ...ring.value, r: (ring.value.r * tools.brushSize) / lastSize }
      lastSize = tools.brushSize
      return
    }
    lastSize = tools.brushSize
    const found = hit(event)
    const box = canvas.value!.getBoundingClientRect()
    const at = stroke && tools.grabs ? stroke.start : found?.point
    const pixels = at ? tools.brushReach / metresPerPixel(at) : 0
    under.value = tools.painting && found?.face ? (live.frame?.weights?.[found.face.a] ?? null) : null
    ring.value = at ? { x: event.clientX - box.left, y: event.clientY - box.top, r: pixels } : null
    otherRing.value = tools.brushing && tools.mirrors && found ? mirrorOf(found) : null
    if (!stroke) return
    if (tools.grabs) {
      const scale = metresPerPixel(stroke.start)
      const right = new Vector3().setFromMatrixColumn(now.stage.camera.matrixWorld, 0)
      const up = new Vector3().setFromMatrixColumn(now.stage.camera.matrixWorld, 1)
      const drag = right.multiplyScalar((event.clientX - stroke.x) * scale).addScaledVector(up, (stroke.y - event.clientY) * scale)
      touch(event, stroke.triangle, stroke.start, drag)
    } else if (waiting) {
      if (Math.hypot(event.clientX - stroke.x, event.clientY - stroke.y) > STILL) touchWaiting()
    } else if (found?.faceIndex != null && Math.hypot(event.clientX - stroke.x, event.clientY - stroke.y) > pixels * 0.15) {
      stroke.x = event.clientX
      stroke.y = event.clientY
      touch(event, found.faceIndex, found.point, new Vector3())
    }
  }

  function lift(event: PointerEvent): void {
    const now = scene()
    if (now) now.stage.controls.enabled = true
    sizing = null
    if (clicking) {
      const still = Math.hypot(event.clientX - clicking.x, event.clientY - clicking.y) < STILL
      const found = still ? hit(event) : null
      clicking = null
      if (found?.faceIndex != null) tools.clickPiece(found.faceIndex, [found.point.x, found.point.y, found.point.z])
    }
    if (!stroke) return
    stroke = null
    if (!waiting) {
      tools.endStroke()
      return
    }
    window.clearTimeout(timer)
    timer = window.setTimeout(() => {
      touchWaiting()
      tools.endStroke()
    }, DOUBLE)
  }

  return { ring, otherRing, leave, under, brushing, press, move, lift, loop, partUnder, vertexUnder }
}
