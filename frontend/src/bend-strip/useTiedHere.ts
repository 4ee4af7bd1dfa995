/** What the chosen joint switches on about the shown axis: its curves over the strip, the knots and in-betweens of the chosen one. */
import type { ScaleLinear } from 'd3-scale'
import { line } from 'd3-shape'
import { computed, type ComputedRef } from 'vue'
import type { Axis, HingeTrigger } from '@/api/client'
import { sameAxis } from '@/workbench/angles'
import { useLive } from '@/workbench/live'
import { angleOf, hingeOf, useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

type Scale = ScaleLinear<number, number>

export function useTiedHere(strip: { x: ComputedRef<Scale>; ya: Scale; low: ComputedRef<number>; high: ComputedRef<number>; floor: number }) {
  const { x, ya, low, high, floor } = strip
  const posing = usePose()
  const live = useLive()
  const mending = useMending()

  /** What a hinge switches on about the shown axis, turned so that it has the axis's sign. */
  const tied = computed(() =>
    mending.tiedHere.flatMap((card) => {
      const hinge = hingeOf(card)
      return hinge?.joint === posing.chosen && sameAxis(hinge.axis as Axis, posing.axis) ? [{ card, hinge, sign: sign(hinge.axis) }] : []
    }),
  )
  const sign = (axis: readonly number[]) => Math.sign(axis[0] * posing.axis[0] + axis[1] * posing.axis[1] + axis[2] * posing.axis[2])
  const activations = computed(() =>
    tied.value.map(({ card, sign: s }) => {
      const dragged = live.preview?.remedy_id === card.id && live.frame?.response === card.id ? live.frame.curve : undefined
      const curve = dragged ? Array.from({ length: dragged.length / 2 }, (_, k) => [dragged[2 * k], dragged[2 * k + 1]]) : card.curve
      const ends = [...curve.map(([a, v]) => [a * s, v] as [number, number])].sort((a, b) => a[0] - b[0])
      const whole: [number, number][] = [[low.value, ends[0]?.[1] ?? 0], ...ends.filter(([a]) => a > low.value && a < high.value), [high.value, ends.at(-1)?.[1] ?? 0]]
      const d = line<[number, number]>().x((p) => x.value(p[0])).y((p) => ya(p[1]))(whole) ?? ''
      return { id: card.id, name: card.name, d, fill: `${d}L${x.value(high.value)} ${floor}L${x.value(low.value)} ${floor}Z` }
    }),
  )
  const trigger = computed<HingeTrigger | null>(() => {
    const shown = tied.value.find(({ card }) => card.id === mending.chosenRemedy)
    if (!shown) return null
    const dragged = live.preview?.remedy_id === shown.card.id ? live.preview.trigger : null
    return dragged?.kind === 'hinge' ? dragged : shown.hinge
  })
  const knots = computed(() => {
    const t = trigger.value
    if (!t) return []
    const s = sign(t.axis)
    return t.knots.map((k, index) => ({ index, angle: k.angle_deg * s, value: k.value }))
  })

  /** The in-betweens of the chosen corrective, where its response meets them. */
  const flags = computed(() =>
    tied.value.flatMap(({ card, sign: s }) => {
      if (card.id !== mending.chosenRemedy) return []
      return card.targets.slice(0, -1).flatMap((t) => {
        const angle = angleOf(card, t.at)
        return angle === null ? [] : [{ at: t.at, angle: angle * s, card }]
      })
    }),
  )

  return { tied, sign, activations, trigger, knots, flags }
}
