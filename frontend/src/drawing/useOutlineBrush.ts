/** The pointer on the control points of a held drawing: it moves them, rounds them, widens strokes, smooths, puts back. */
import { ref } from 'vue'
import { useTools } from '@/workbench/tools'
import { outlineBrush } from './outlineBrushes'
import type { Spot } from './usePlane'

const ROUND = 120, WIDE = 120 // pixels that the pointer goes for as much again
const AGAIN = 0.12 // strength of a touch of brushes that work on and on

export function useOutlineBrush(toWorld: (event: MouseEvent) => Spot) {
  const tools = useTools()
  /** Control points that are picked, by their first vertices: they move together. */
  const picked = ref<number[]>([])
  const under = ref<number | null>(null)
  let held: { vertex: number; at: Spot; x: number; y: number } | null = null

  function touch(event: PointerEvent, strength: number): void {
    const now = toWorld(event)
    const drag: [number, number, number] = [now.x - held!.at.x, now.y - held!.at.y, 0]
    tools.touchOutline(held!.vertex, [held!.at.x, held!.at.y, 0], drag, strength, picked.value)
  }
  const steady = () => outlineBrush(tools.outlineBrush).steady

  function grab(event: PointerEvent, vertex: number): void {
    if (event.shiftKey) {
      const head = vertex - (vertex % 3)
      picked.value = picked.value.includes(head) ? picked.value.filter((v) => v !== head) : [...picked.value, head]
      return
    }
    held = { vertex, at: toWorld(event), x: event.clientX, y: event.clientY }
    ;(event.target as Element).setPointerCapture(event.pointerId)
    if (steady()) touch(event, tools.brushStrength)
  }
  function drag(event: PointerEvent): void {
    if (!held) return
    if (tools.outlineBrush === 'move') touch(event, 1)
    else if (tools.outlineBrush === 'roundness') touch(event, (event.clientX - held.x) / ROUND)
    else if (tools.outlineBrush === 'width') touch(event, (held.y - event.clientY) / WIDE)
    else touch(event, tools.brushStrength * AGAIN)
  }
  function drop(): void {
    if (held) tools.endStroke()
    held = null
  }
  return { picked, under, grab, drag, drop }
}
