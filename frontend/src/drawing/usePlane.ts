/** Where the plane of a drawing lies on the page: panned and zoomed, crisp at every size. */
import { computed, ref, type Ref } from 'vue'
import { BARS } from '@/view/bars'

export interface Spot { x: number; y: number }
const LEAST = 1e-3, MOST = 1e5
/** What share of the view stays free round what is shown. */
const MARGIN = 0.06

export function usePlane(host: Ref<HTMLElement | undefined>, width: Ref<number>, height: Ref<number>) {
  /** Pixels per unit, and where the world's origin lies. */
  const scale = ref(1)
  const origin = ref<Spot>({ x: 0, y: 0 })
  let panning: { x: number; y: number; from: Spot } | null = null

  const toPage = (x: number, y: number): Spot => ({ x: origin.value.x + scale.value * x, y: origin.value.y - scale.value * y })
  function toWorld(event: MouseEvent): Spot {
    const box = host.value!.getBoundingClientRect()
    return { x: (event.clientX - box.left - origin.value.x) / scale.value, y: (origin.value.y - event.clientY + box.top) / scale.value }
  }

  /** Show a part of the plane, whole, below the bars of the view. */
  function show(low: Spot, high: Spot): void {
    const w = Math.max(high.x - low.x, 1e-9), h = Math.max(high.y - low.y, 1e-9)
    const free = Math.max(height.value - BARS, 1)
    scale.value = Math.min((width.value * (1 - 2 * MARGIN)) / w, (free * (1 - MARGIN)) / h)
    origin.value = { x: width.value / 2 - (scale.value * (low.x + high.x)) / 2, y: BARS + (free * (1 - MARGIN / 2)) / 2 + (scale.value * (low.y + high.y)) / 2 }
  }
  function zoom(event: WheelEvent): void {
    event.preventDefault()
    const box = host.value!.getBoundingClientRect()
    const at = { x: event.clientX - box.left, y: event.clientY - box.top }
    const next = Math.max(LEAST, Math.min(MOST, scale.value * Math.exp(-event.deltaY * 0.0015)))
    const by = next / scale.value
    origin.value = { x: at.x + (origin.value.x - at.x) * by, y: at.y + (origin.value.y - at.y) * by }
    scale.value = next
  }
  function grab(event: PointerEvent): void {
    panning = { x: event.clientX, y: event.clientY, from: origin.value }
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent): boolean {
    if (!panning) return false
    origin.value = { x: panning.from.x + event.clientX - panning.x, y: panning.from.y + event.clientY - panning.y }
    return true
  }
  const drop = () => (panning = null)
  /** From user units of the world, y down, to the page. */
  const transform = computed(() => `translate(${origin.value.x} ${origin.value.y}) scale(${scale.value})`)

  return { scale, origin, toPage, toWorld, show, zoom, grab, drag, drop, transform }
}
