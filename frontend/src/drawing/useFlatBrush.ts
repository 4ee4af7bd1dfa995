/** The brush that paints weights, picks, or paints masks over a drawing: it reaches the points within its ring. */
import { onKeyStroke } from '@vueuse/core'
import { computed, shallowRef } from 'vue'
import { isTyping } from '@/workbench/keys'
import { useCharacter } from '@/workbench/character'
import { useTools } from '@/workbench/tools'
import type { usePlane } from './usePlane'

const APART = 0.15 // of the brush: how far the pointer goes between two touches

export function useFlatBrush(plane: ReturnType<typeof usePlane>) {
  const character = useCharacter()
  const tools = useTools()
  const ring = shallowRef<{ x: number; y: number; r: number } | null>(null)
  const paints = computed(() => tools.brushing && !character.sculpting)
  onKeyStroke('s', (event) => (tools.smoothing = !isTyping(event) && paints.value))
  onKeyStroke('s', () => (tools.smoothing = false), { eventName: 'keyup' })
  let last: { x: number; y: number } | null = null

  function touch(event: PointerEvent): void {
    const at = plane.toWorld(event)
    const strength = tools.brushStrength * (event.shiftKey ? -1 : 1)
    tools.touch({ triangle: 0, at: [at.x, at.y, 0], radius: tools.brushReach, strength, drag: [0, 0, 0], falloff: tools.brushFalloff })
    last = { x: event.clientX, y: event.clientY }
  }
  function press(event: PointerEvent): void {
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
    touch(event)
  }
  function move(event: PointerEvent): void {
    const at = plane.toWorld(event), page = plane.toPage(at.x, at.y)
    const r = tools.brushReach * plane.scale.value
    ring.value = paints.value ? { ...page, r } : null
    if (last && Math.hypot(event.clientX - last.x, event.clientY - last.y) > APART * r) touch(event)
  }
  function lift(): void {
    if (last) tools.endStroke()
    last = null
  }
  return { ring, paints, press, move, lift }
}
