/**
 * Placing points in the view by dragging: joints, and the markers of the template.
 *
 * A point goes along in the plane that faces the camera; over the skin a marker, or a joint with Shift held, goes to the
 * middle of the limb under the pointer.
 */
import { Raycaster, Vector3 } from 'three'
import { api, Problem } from '@/api/client'
import { useTools } from '@/workbench/tools'
import { say, useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import type { Figure } from './figure'
import { jointPlace, project, type View } from './joints'
import type { Stage } from './stage'
import { STILL } from './useBrush'

export interface MarkerDot { name: string; label: string; x: number; y: number; twin: { x: number; y: number } | null }

const ARROWS: Record<string, [number, number]> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }
export const MIDDLE = ['head_top', 'neck']
export const markerLabel = (name: string) => name.replace('_', ' ')

export function usePlacing(scene: () => { stage: Stage; figure: Figure } | null) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const tools = useTools()
  let marker: string | null = null
  let travelled = false
  let pressed: { x: number; y: number } | null = null
  let making = false
  const caster = new Raycaster()

  function aim(event: PointerEvent): void {
    scene()!.stage.aim(caster, event)
  }

  /** Half way between where the ray goes into the character and where it is out again. */
  function middle(): Vector3 | null {
    let depth = 0
    let first: Vector3 | null = null
    for (const hit of caster.intersectObject(scene()!.figure.with.mesh)) {
      depth += hit.face && hit.face.normal.dot(caster.ray.direction) < 0 ? 1 : -1
      first ??= hit.point
      if (depth <= 0) return first.clone().add(hit.point).multiplyScalar(0.5)
    }
    return null
  }

  /** In the plane through `from` that faces the camera. */
  function inPlane(from: Vector3): Vector3 {
    return scene()!.stage.inPlane(caster, from)
  }

  function grabJoint(event: PointerEvent, joint: string): void {
    const info = character.figure?.joints.find((j) => j.name === joint)
    if (!info || !live.frame || !tools.placing) return
    posing.chooseJoint(joint)
    const p = jointPlace(live.frame.joints, info.index)
    live.moving = { joint, at: [p.x, p.y, p.z], mirror: tools.mirrored }
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }
  function grabMarker(event: PointerEvent, name: string): void {
    marker = name
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent): void {
    if (live.moving) {
      aim(event)
      const to = (event.shiftKey && middle()) || inPlane(new Vector3(...live.moving.at))
      live.moving = { ...live.moving, at: [to.x, to.y, to.z] }
      travelled = true
    } else if (marker && tools.markers) {
      aim(event)
      const to = middle() ?? inPlane(new Vector3(...tools.markers[marker]))
      const x = MIDDLE.includes(marker) ? (character.figure?.mirror_x ?? 0) : to.x
      tools.markers = { ...tools.markers, [marker]: [x, to.y, to.z] }
    } else return
    scene()!.stage.invalidate()
  }
  /** The arrow keys move a marker in the plane of the view, with Shift in larger steps. */
  function nudgeMarker(event: KeyboardEvent, name: string): void {
    const [right, up] = ARROWS[event.key] ?? [0, 0]
    const now = scene()
    if (!now || !tools.markers || (!right && !up)) return
    event.preventDefault()
    const step = (character.figure?.height ?? 1) * (event.shiftKey ? 0.02 : 0.004)
    const to = new Vector3(...tools.markers[name])
    const { matrixWorld } = now.stage.camera
    to.addScaledVector(new Vector3().setFromMatrixColumn(matrixWorld, 0), right * step)
    to.addScaledVector(new Vector3().setFromMatrixColumn(matrixWorld, 1), up * step)
    const x = MIDDLE.includes(name) ? (character.figure?.mirror_x ?? 0) : to.x
    tools.markers = { ...tools.markers, [name]: [x, to.y, to.z] }
    now.stage.invalidate()
  }
  /** A click on the skin makes a joint in the middle of the limb there; a drag turns the view. */
  function press(event: PointerEvent): void {
    pressed = event.button === 0 ? { x: event.clientX, y: event.clientY } : null
  }
  async function lift(event: PointerEvent): Promise<void> {
    const still = pressed && Math.hypot(event.clientX - pressed.x, event.clientY - pressed.y) < STILL
    pressed = null
    if (!still || making) return
    aim(event)
    const at = middle()
    if (!at) {
      say(new Problem('There is no skin there: click on the limb that the joint is for.'))
      return
    }
    // One click after the other: the next joint hangs on this one.
    making = true
    await tools.makeJoint(tools.nextName(), [at.x, at.y, at.z], posing.pose)
    making = false
  }
  async function drop(): Promise<void> {
    marker = null
    const placed = live.moving
    if (!placed) return
    // A click only chooses the joint.
    const body = { at: placed.at, pose: posing.pose, mirror: placed.mirror }
    if (travelled) await character.edit((c) => api.placeJoint(c, placed.joint, body))
    travelled = false
    live.moving = null
  }

  /** The drag was taken away (a gesture of the system): nothing has happened. */
  function cancel(): void {
    marker = live.moving = null
    travelled = false
  }

  /** The markers as they are seen, each with its mirror image. */
  function markerDots(view: View): MarkerDot[] {
    const plane = character.figure?.mirror_x ?? 0
    return Object.entries(tools.markers ?? {}).map(([name, at]) => {
      const { x, y } = project(new Vector3(...at), view)
      const twin = MIDDLE.includes(name) ? null : project(new Vector3(2 * plane - at[0], at[1], at[2]), view)
      return { name, label: markerLabel(name), x, y, twin }
    })
  }
  return { press, lift, grabJoint, grabMarker, nudgeMarker, drag, drop, cancel, markerDots }
}
