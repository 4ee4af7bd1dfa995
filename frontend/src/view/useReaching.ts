/** The end of a limb on its way: the two joints above it turn so that it follows, in the view of a solid or of a drawing. */
import { watch } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'

export function useReaching() {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  /** Whether the drag is over, and its last place is still to be answered. */
  let ending = false

  /** Whether a joint has two others above it that can reach. */
  function canReach(name: string): boolean {
    const all = character.figure?.joints ?? []
    const own = all.find((j) => j.name === name)
    const above = own && all.find((j) => j.index === own.parent)
    return above !== undefined && all.some((j) => j.index === above.parent)
  }
  const begin = () => (ending = false)
  function letGo(): void {
    if (!live.reach) return
    ending = true
    // Asked for once more: the last place may have been answered before the pointer was lifted.
    live.reach = { ...live.reach }
  }
  function cancel(): void {
    live.reach = null
    ending = false
  }

  // The limb stays where the last answer puts it; the drag goes on from the pose it began in until then.
  watch(() => live.frame, (frame) => {
    if (!ending || !frame?.reached || live.asks()) return
    ending = false
    live.reach = null
    posing.turnTo(frame.reached)
  })
  return { canReach, begin, letGo, cancel }
}
