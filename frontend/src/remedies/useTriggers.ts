/** How a trigger of each kind begins: from what is held, turned and set now. */
import { api, type Axis, type DialRule, type TriggerRule } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'

export type Kind = TriggerRule['kind']
export interface Tie { trigger: TriggerRule; value?: string }

/** What the kinds of triggers are called. */
export const triggerNames: Record<Kind, string> = { hinge: 'A bend', pose_set: 'Stored poses', product: 'A product', dial: 'A dial' }

/** The whole way of a dial, from where it starts to its further end, switches something on. */
export function dialKnots(dial?: DialRule): { input: number; value: number }[] {
  if (!dial) return [{ input: 0, value: 0 }, { input: 1, value: 1 }]
  const end = dial.high > dial.start ? dial.high : dial.low
  return [{ input: dial.start, value: 0 }, { input: end, value: 1 }].sort((a, b) => a.input - b.input)
}

export function useTriggers() {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()

  /** Where a value stands in the frame that is shown. */
  function valueNow(id: string): number {
    const of = character.state?.remedies.find((r) => r.by === id)
    return live.frame?.values[id] ?? (of ? (live.frame?.activations[of.id] ?? 0) : 0)
  }

  /** Values that a product or a response can read; those that are on come first. */
  function readable(without?: string) {
    const given = character.state?.values.filter((v) => v.kind !== 'group' && v.id !== without) ?? []
    return [...given].sort((a, b) => valueNow(b.id) - valueNow(a.id))
  }

  async function fresh(kind: Kind, name = '', set: string | null = null): Promise<Tie> {
    if (kind === 'hinge') {
      if (character.sculpting) return { trigger: await api.proposal(character.id) }
      const knots = await api.preset(character.id, 'late', 0, Math.round(posing.angle * 10) / 10)
      return { trigger: { kind, name: '', joint: posing.chosen, axis: [...posing.axis] as Axis, knots } }
    }
    if (kind === 'pose_set') {
      const joints = set || character.sculpting ? [] : [posing.chosen]
      return api.storePose(character.id, { pose: posing.pose, by: 'swing', joints, name, set_id: set })
    }
    if (kind === 'product') return { trigger: { kind, name: '', of: readable().slice(0, 2).map((v) => v.id) } }
    const dial = character.dials[0]
    return { trigger: { kind, name: '', reads: dial?.id ?? '', knots: dialKnots(dial) } }
  }

  /** Why a trigger of a kind cannot be made now, or nothing. */
  function refused(kind: Kind): string {
    if (kind === 'hinge') return character.sculpting || Math.abs(posing.angle) >= 1 ? '' : 'Bend the joint first.'
    if (kind === 'pose_set') return posing.atRest ? 'Turn a joint first: a pose is stored as it is held.' : ''
    if (kind === 'product') return readable().length < 2 ? 'A product needs two values that are there: other correctives, or dials.' : ''
    return character.dials.length ? '' : 'There is no dial yet: make one on the left.'
  }
  return { valueNow, readable, fresh, refused }
}
