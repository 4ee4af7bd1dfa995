/** The rules of helper joints: told in a sentence, and new ones to start from. */
import type { Axis, Schemas } from '@/api/client'
import { axisName, plainName } from '@/workbench/angles'

export type Rule = NonNullable<Schemas['BodyChange']['rules']>[number]

const parts: Record<string, string> = { all: 'rotation', swing: 'bend', twist: 'roll' }
const name = (joint: string) => plainName(joint).toLowerCase()

/** A rule in a sentence; `value` names a value by its id, `length` tells a length. */
export function told(r: Rule, value: (id: string) => string, length: (long: number) => string): string {
  switch (r.kind) {
    case 'slide': {
      const far = r.knots.reduce((a, b) => (Math.abs(b.metres) > Math.abs(a.metres) ? b : a))
      return `Slides ${length(far.metres)} by ${far.angle_deg.toFixed(0)}° of the ${name(r.joint)}, and stops there.`
    }
    case 'push': return `Is pushed ${length(r.metres)} by ${value(r.value)}.`
    case 'grow': {
      const most = r.knots.reduce((a, b) => (Math.abs(b.factor - 1) > Math.abs(a.factor - 1) ? b : a))
      return `Grows to ${Math.round(most.factor * 100)} % by ${most.angle_deg.toFixed(0)}° of the ${name(r.joint)}.`
    }
    case 'limit': {
      if (r.low_deg == null && r.high_deg == null) return `Has no stop about ${axisName(r.axis)} yet.`
      return `Turns no further about ${axisName(r.axis)} than ${r.low_deg == null ? '' : `${r.low_deg.toFixed(0)}°`}${r.low_deg != null && r.high_deg != null ? ' to ' : ''}${r.high_deg == null ? '' : `${r.high_deg.toFixed(0)}°`}.`
    }
    case 'anchor': return `Takes its place from the ${name(r.place)}, its turn from the ${name(r.turn)}.`
    default: {
      const part = r.part === 'axes' ? `turn about ${(r.axes ?? []).map(axisName).join(' and ')}` : parts[r.part ?? 'all']
      return `Takes ${Math.round(r.share * 100)} % of the ${part} of the ${name(r.joint)}.`
    }
  }
}

/** What a new rule is of: the chosen joint as it is bent now, what the helper hangs on, a value if there is one; which way and how far it goes at first. */
export interface At { joint: string; axis: Axis; angle: number; parent: string; value: string | null; along: Axis; step: number }

/** New rules by kind, to be changed on the card. */
export const fresh: Record<string, { label: string; make(at: At): Rule | null }> = {
  share: { label: 'Share of a turn', make: (at) => ({ kind: 'share', joint: at.joint, share: 0.5, part: 'all', axis: at.axis }) },
  slide: { label: 'Slide by an angle', make: (at) => ({ kind: 'slide', joint: at.joint, axis: at.axis, along: at.along, knots: ends(at.angle).map(([angle_deg, on]) => ({ angle_deg, metres: at.step * on })) }) },
  grow: { label: 'Grow by an angle', make: (at) => ({ kind: 'grow', joint: at.joint, axis: at.axis, knots: ends(at.angle).map(([angle_deg, on]) => ({ angle_deg, factor: 1 + 0.2 * on })) }) },
  limit: { label: 'Limit its turn', make: (at) => ({ kind: 'limit', axis: at.axis, low_deg: 0, high_deg: null }) },
  anchor: { label: 'Anchor', make: (at) => ({ kind: 'anchor', place: at.parent, turn: at.joint }) },
  push: { label: 'Push by a value', make: (at) => (at.value === null ? null : { kind: 'push', value: at.value, along: at.along, metres: at.step }) },
}
/** From nothing at rest to all at an angle, in the order of the angles. */
function ends(angle: number): [number, number][] {
  const far = Math.abs(angle) < 1 ? 90 : Math.round(angle)
  return far > 0 ? [[0, 0], [far, 1]] : [[far, 1], [0, 0]]
}
