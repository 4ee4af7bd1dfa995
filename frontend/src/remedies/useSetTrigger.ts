/** Giving a remedy another trigger, or another value of the one that it shares. */
import { api, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import type { Tie } from './useTriggers'

/** Stored poses belong to all that follow one of them; any other trigger is the remedy's own. */
export function useSetTrigger(remedy: () => RemedyCard) {
  const character = useCharacter()
  return function change({ trigger, value }: Tie): Promise<boolean> {
    const { id, by, trigger: own } = remedy()
    const shared = trigger.kind === 'pose_set' && trigger.id === own?.id
    if (shared && value && value !== by) return character.edit((c) => api.tie(c, id, value))
    return character.edit((c) => (shared ? api.putTrigger(c, trigger) : api.setTrigger(c, id, trigger, value)))
  }
}
