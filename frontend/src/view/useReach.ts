/** Dragging the end of a limb: the two joints above it turn so that it follows the pointer. */
import { Raycaster, type Vector3 } from 'three'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { jointPlace } from './joints'
import type { Stage } from './stage'
import { STILL } from './useBrush'
import { useReaching } from './useReaching'

export function useReach(stage: () => Stage | null) {
  const character = useCharacter()
  const live = useLive()
  const caster = new Raycaster()
  let held: { joint: string; from: Vector3; x: number; y: number } | null = null
  /** Whether the last press was a drag and no click. */
  let travelled = false
  const reaching = useReaching()
  const { canReach } = reaching

  function grab(event: PointerEvent, joint: string): void {
    const info = character.figure?.joints.find((j) => j.name === joint)
    travelled = false
    if (!info || !live.frame || character.sculpting || !canReach(joint)) return
    held = { joint, from: jointPlace(live.frame.joints, info.index), x: event.clientX, y: event.clientY }
    reaching.begin()
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
    reaching.letGo()
  }
  function cancel(): void {
    held = null
    reaching.cancel()
  }

  const dragged = () => travelled
  return { canReach, dragged, grab, drag, drop, cancel }
}
