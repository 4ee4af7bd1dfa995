/** Bending the chosen joint by the arcs round it. */
import { Quaternion } from 'three'
import type { Axis } from '@/api/client'
import { REST, sameAxis, twistDeg } from '@/workbench/angles'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { bendArc, jointPlace, type Arc, type View } from './joints'
import type { Stage } from './stage'
import { turnedByKey } from './turnKeys'

const OWN: Axis[] = [[1, 0, 0], [0, 1, 0], [0, 0, 1]]

export function useArcs(stage: () => Stage | null) {
  const posing = usePose()
  const live = useLive()
  let bending: { arc: Arc; x: number; y: number; from: number } | null = null

  /** The arcs of the chosen joint as it stands: its own axes, and the chosen one. */
  function chosenArcs(view: View): Arc[] {
    const info = posing.jointInfo, frame = live.frame, now = stage()
    if (!info || !frame || !now) return []
    const k = 7 * info.index + 3
    const turn = new Quaternion(frame.joints[k], frame.joints[k + 1], frame.joints[k + 2], frame.joints[k + 3])
    const pose = posing.joints[info.name] ?? REST
    const restFrame = turn.multiply(new Quaternion(...pose).invert())
    const centre = jointPlace(frame.joints, info.index)
    const radius = 0.11 * now.camera.position.distanceTo(centre) * Math.tan((now.camera.fov * Math.PI) / 360) * 2
    const axes = OWN.some((a) => sameAxis(a, posing.axis)) ? OWN : [...OWN, posing.axis]
    return axes.map((a) => bendArc(frame.joints, info.index, restFrame, a, radius, twistDeg(pose, a), view))
  }

  function grab(event: PointerEvent, arc: Arc): void {
    posing.axis = arc.axis
    bending = { arc, x: event.clientX, y: event.clientY, from: posing.angle }
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent): void {
    if (!bending) return
    const { arc, x, y, from } = bending
    const { perDegreeX: px, perDegreeY: py } = arc
    const per = Math.max(px * px + py * py, 0.05)
    const degrees = ((event.clientX - x) * px + (event.clientY - y) * py) / per
    posing.bendTo(Math.max(-180, Math.min(180, from + degrees)))
  }
  const drop = () => (bending = null)
  /** How far the chosen joint is turned about an axis by now; the arcs are as old as the last frame. */
  const turned = (axis: Axis) => twistDeg(posing.joints[posing.chosen] ?? REST, axis)
  function nudge(event: KeyboardEvent, arc: Arc): void {
    const to = turnedByKey(event, turned(arc.axis))
    if (to === null) return
    posing.axis = arc.axis
    posing.bendTo(to)
  }
  return { chosenArcs, grab, drag, drop, nudge, turned }
}
