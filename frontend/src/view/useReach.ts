/** Dragging the end of a limb: the two joints above it turn so that it follows the pointer. */
import { Raycaster, type Vector3 } from 'three'
import { watch } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'
import { jointPlace } from './joints'
import type { Stage } from './stage'
import { STILL } from './useBrush'

export function useReach(stage: () => Stage | null) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const caster = new Raycaster()
  let held: { joint: string; from: Vector3; x: number; y: number } | null = null
  /** Whether the last press was a drag and no click. */
  let travelled = false
  /** Whether the drag is over, and its last place is still to be answered. */
  let ending = false

  /** Whether a joint has two others above it that can reach. */
  function canReach(name: string): boolean {
    const all = character.figure?.joints ?? []
    const own = all.find((j) => j.name === name)
    const above = own && all.find((j) => j.index === own.parent)
    return above !== undefined && all.some((j) => j.index === above.parent)
  }

  function grab(event: PointerEvent, joint: string): void {
    const info = character.figure?.joints.find((j) => j.name === joint)
    travelled = false
    if (!info || !live.frame || character.sculpting || !canReach(joint)) return
    held = { joint, from: jointPlace(live.frame.joints, info.index), x: event.clientX, y: event.clientY }
    ending = false
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }

  function drag(event: PointerEvent): void {
    const now = stage()
    if (!held || !now) return
    if (!live.reach && Math.hypot(event.clientX - held.x, event.clientY - held.y) < STILL) return
    now.aim(caster, event)
    // In the plane of the view, as far away as the end was.
    const to = now.inPlane(caster, held.from)
    travelled = true
    live.reach = { joint: held.joint, at: [to.x, to.y, to.z] }
  }

  function drop(): void {
    held = null
    if (!live.reach) return
    ending = true
    // Asked for once more: the last place may have been answered before the pointer was lifted.
    live.reach = { ...live.reach }
  }
  function cancel(): void {
    held = live.reach = null
    ending = false
  }

  // The limb stays where the last answer puts it; the drag goes on from the pose it began in until then.
  watch(() => live.frame, (frame) => {
    if (!ending || !frame?.reached || live.asks()) return
    ending = false
    live.reach = null
    posing.turnTo(frame.reached)
  })

  const dragged = () => travelled
  return { canReach, dragged, grab, drag, drop, cancel }
}
