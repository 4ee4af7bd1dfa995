/**
 * The brush over the figure: pointer events in, touches out, and the ring that follows the surface.
 *
 * The same brush sculpts and paints weights; what a touch does is for the workbench to say.
 */
import { onKeyStroke } from '@vueuse/core'
import { Raycaster, Vector2, Vector3, type Intersection } from 'three'
import { computed, ref, shallowRef, type Ref } from 'vue'
import type { Dab } from '@/api/live'
import { useWorkbench } from '@/workbench/store'
import type { Figure } from './figure'
import type { Stage } from './stage'

const FIRST_FRONT = 0, SECOND_FRONT = 1

/** Whether a plain key is held down. */
function useHeldKey(key: string) {
  const held = ref(false)
  onKeyStroke(key, () => (held.value = true))
  onKeyStroke(key, () => (held.value = false), { eventName: 'keyup' })
  return held
}

export function useBrush(canvas: Ref<HTMLCanvasElement | undefined>, scene: () => { stage: Stage; figure: Figure } | null) {
  const bench = useWorkbench()
  const ring = shallowRef<{ x: number; y: number; r: number } | null>(null)
  /** The weight under the pointer while weights are painted. */
  const under = ref<number | null>(null)
  /** Whether the pointer works on the skin instead of posing. */
  const brushing = computed(() => bench.sculpting !== null || bench.painting)
  const grabs = computed(() => !bench.painting && bench.brush === 'grab')
  const dialHeld = useHeldKey('d')
  const caster = new Raycaster()
  let lastSize = bench.brushSize
  let stroke: { start: Vector3; triangle: number; x: number; y: number } | null = null
  let sizing: { x: number; y: number; size: number; strength: number } | null = null

  /** Where the pointer meets the skin: the front, or what lies behind it where the brush is to reach through. */
  function hit(event: PointerEvent): Intersection | null {
    const now = scene()
    if (!now) return null
    const box = canvas.value!.getBoundingClientRect()
    const at = new Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2)
    caster.setFromCamera(at, now.stage.camera)
    const hits = caster.intersectObject(now.figure.with.mesh)
    const facing = hits.filter((h) => h.face && h.face.normal.dot(caster.ray.direction) < 0)
    // A mesh that is wound inside out faces away everywhere, and is still worked on.
    const fronts = facing.length ? facing : hits
    return fronts[bench.secondLayer ? SECOND_FRONT : FIRST_FRONT] ?? null
  }

  const metresPerPixel = (at: Vector3) => {
    const { camera } = scene()!.stage
    const height = canvas.value!.clientHeight
    return (2 * camera.position.distanceTo(at) * Math.tan((camera.fov * Math.PI) / 360)) / Math.max(height, 1)
  }

  function touch(event: PointerEvent, triangle: number, at: Vector3, drag: Vector3): void {
    const pressure = event.pointerType === 'pen' ? event.pressure * 2 : 1
    const strength = Math.min(bench.brushStrength * pressure, 1) * (event.shiftKey ? -1 : 1)
    const dab: Dab = {
      triangle,
      at: [at.x, at.y, at.z],
      radius: bench.brushReach,
      strength: grabs.value ? 1 : strength,
      drag: [drag.x, drag.y, drag.z],
    }
    if (bench.painting) bench.paintTouch(dab)
    else bench.touch(dab)
  }

  /** Choose the vertex nearest to the pointer, to list what it follows. */
  function pick(event: PointerEvent): void {
    const found = hit(event)
    const points = bench.frame?.with
    if (!found?.face || !points) return
    const { a, b, c } = found.face
    const away = (v: number) => found.point.distanceTo(new Vector3(points[3 * v], points[3 * v + 1], points[3 * v + 2]))
    bench.vertex = [a, b, c].reduce((best, v) => (away(v) < away(best) ? v : best))
  }

  function press(event: PointerEvent): void {
    const now = scene()
    if (!now || event.button !== 0) return
    if (event.altKey && bench.shading === 'weights') {
      pick(event)
      return
    }
    if (!brushing.value) return
    if (dialHeld.value) {
      sizing = { x: event.clientX, y: event.clientY, size: bench.brushSize, strength: bench.brushStrength }
      now.stage.controls.enabled = false
      canvas.value!.setPointerCapture(event.pointerId)
      return
    }
    const found = hit(event)
    if (!found || found.faceIndex == null) return
    now.stage.controls.enabled = false
    canvas.value!.setPointerCapture(event.pointerId)
    stroke = { start: found.point, triangle: found.faceIndex, x: event.clientX, y: event.clientY }
    touch(event, found.faceIndex, found.point, new Vector3())
  }

  function move(event: PointerEvent): void {
    const now = scene()
    if (!now || !brushing.value) {
      ring.value = null
      return
    }
    if (sizing) {
      bench.brushSize = Math.max(0.005, Math.min(0.25, sizing.size * Math.exp((event.clientX - sizing.x) / 120)))
      bench.brushStrength = Math.max(0.02, Math.min(1, sizing.strength + (sizing.y - event.clientY) / 200))
      if (ring.value) ring.value = { ...ring.value, r: (ring.value.r * bench.brushSize) / lastSize }
      lastSize = bench.brushSize
      return
    }
    lastSize = bench.brushSize
    const found = hit(event)
    const box = canvas.value!.getBoundingClientRect()
    const at = stroke && grabs.value ? stroke.start : found?.point
    const pixels = at ? bench.brushReach / metresPerPixel(at) : 0
    under.value = bench.painting && found?.face ? (bench.frame?.weights?.[found.face.a] ?? null) : null
    ring.value = at ? { x: event.clientX - box.left, y: event.clientY - box.top, r: pixels } : null
    if (!stroke) return
    if (grabs.value) {
      const scale = metresPerPixel(stroke.start)
      const right = new Vector3().setFromMatrixColumn(now.stage.camera.matrixWorld, 0)
      const up = new Vector3().setFromMatrixColumn(now.stage.camera.matrixWorld, 1)
      const drag = right.multiplyScalar((event.clientX - stroke.x) * scale).addScaledVector(up, (stroke.y - event.clientY) * scale)
      touch(event, stroke.triangle, stroke.start, drag)
    } else if (found?.faceIndex != null && Math.hypot(event.clientX - stroke.x, event.clientY - stroke.y) > pixels * 0.15) {
      stroke.x = event.clientX
      stroke.y = event.clientY
      touch(event, found.faceIndex, found.point, new Vector3())
    }
  }

  function lift(): void {
    const now = scene()
    if (now) now.stage.controls.enabled = true
    sizing = null
    if (!stroke) return
    stroke = null
    if (bench.painting) bench.endPaint()
    else bench.endStroke()
  }

  return { ring, under, brushing, press, move, lift }
}
