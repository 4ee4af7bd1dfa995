/** Dragging on the bend strip: the playhead, a knot of the response, or the flag of an in-between. */
import type { ScaleLinear } from 'd3-scale'
import { ref, type ComputedRef, type Ref } from 'vue'
import { api, type HingeTrigger, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { activationAt, hingeOf, useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

type Scale = ScaleLinear<number, number>

export function useStripDrag(given: {
  host: Ref<HTMLElement | undefined>; x: ComputedRef<Scale>; ya: Scale; low: Ref<number>; high: Ref<number>
  trigger: ComputedRef<HingeTrigger | null>; flags: ComputedRef<{ at: number; angle: number; card: RemedyCard }[]>; sign: (axis: readonly number[]) => number
}) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const mending = useMending()
  /** Where the flag that is dragged stands. */
  const dragged = ref<{ at: number; to: number; angle: number } | null>(null)
  let dragging: { knot: number | null; flag?: number } | null = null
  const angleAt = (event: PointerEvent) => {
    const box = given.host.value!.getBoundingClientRect()
    return Math.max(given.low.value, Math.min(given.high.value, given.x.value.invert(event.clientX - box.left)))
  }
  function press(event: PointerEvent): void {
    if (character.sculpting) return
    dragging = { knot: null }
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
    posing.bendTo(angleAt(event))
  }
  function pressKnot(event: PointerEvent, knot: number): void {
    event.stopPropagation()
    dragging = { knot }
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  }
  function pressFlag(event: PointerEvent, at: number): void {
    event.stopPropagation()
    dragging = { knot: null, flag: at }
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  }
  function move(event: PointerEvent): void {
    if (!dragging) return
    if (dragging.flag !== undefined) {
      const flag = given.flags.value.find((f) => f.at === dragging!.flag)
      if (!flag) return
      const angle = angleAt(event), to = Math.max(0.02, Math.min(0.98, activationAt(flag.card, angle * given.sign(hingeOf(flag.card)!.axis))))
      dragged.value = { at: flag.at, to, angle }
      return
    }
    if (dragging.knot === null) posing.bendTo(angleAt(event))
    else moveKnot(dragging.knot, angleAt(event), event)
  }
  function moveKnot(index: number, angle: number, event: PointerEvent): void {
    const t = given.trigger.value
    if (!t || !mending.chosenRemedy) return
    const box = given.host.value!.getBoundingClientRect()
    const value = Math.max(0, Math.min(1, given.ya.invert(event.clientY - box.top)))
    const next = t.knots.map((k) => ({ ...k }))
    const a = angle * given.sign(t.axis)
    const before = index > 0 ? next[index - 1].angle_deg + 0.5 : -180
    const after = index < next.length - 1 ? next[index + 1].angle_deg - 0.5 : 180
    next[index] = { angle_deg: Math.max(before, Math.min(after, a)), value }
    live.previewTrigger(mending.chosenRemedy, { ...t, knots: next })
  }
  async function lift(): Promise<void> {
    const knot = dragging?.knot ?? null
    const moved = dragged.value, chosen = mending.chosenRemedy
    dragging = dragged.value = null
    if (moved && chosen) return void (await character.edit((c) => api.retime(c, chosen, moved.at, moved.to)))
    const shown = live.preview
    if (knot === null || !shown) return
    await character.edit((c) => api.setTrigger(c, shown.remedy_id, shown.trigger))
  }
  function key(event: KeyboardEvent): void {
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
    if (by) posing.bendTo(Math.max(given.low.value, Math.min(given.high.value, posing.angle + by * (event.shiftKey ? 10 : 1))))
  }

  return { dragged, press, pressKnot, pressFlag, move, lift, key }
}
