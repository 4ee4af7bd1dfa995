/** The joints of a drawing: their places, the arc of the chosen one, dragging ends and joints. */
import { computed } from 'vue'
import { api } from '@/api/client'
import { twistDeg, REST } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'
import { useTools } from '@/workbench/tools'
import { STILL } from '@/view/useBrush'
import { turnedByKey } from '@/view/turnKeys'
import { useReaching } from '@/view/useReaching'
import type { Spot, usePlane } from './usePlane'

const Z = [0, 0, 1] as [number, number, number]
const DEGREES = 180 / Math.PI
const RADIUS = 46 // pixels

export function useDrawnJoints(plane: ReturnType<typeof usePlane>) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const tools = useTools()
  let held: { joint: string; x: number; y: number } | null = null
  let travelled = false
  const reaching = useReaching()
  const { canReach } = reaching
  let turning: { from: number; start: number } | null = null
  let made: Promise<void> = Promise.resolve()

  /** Where a joint is in the world. */
  function place(name: string): Spot | null {
    const info = character.figure?.joints.find((j) => j.name === name), frame = live.frame
    if (!info || !frame || frame.joints.length !== 7 * character.figure!.nodes) return null
    if (live.moving?.joint === name) return { x: live.moving.at[0], y: live.moving.at[1] }
    return { x: frame.joints[7 * info.index], y: frame.joints[7 * info.index + 1] }
  }
  const dots = computed(() => (character.figure?.joints ?? []).flatMap((j) => {
    const at = place(j.name)
    return at ? [{ name: j.name, index: j.index, parent: j.parent, ...plane.toPage(at.x, at.y) }] : []
  }))
  const bones = computed(() => {
    const by = new Map(dots.value.map((d) => [d.index, d]))
    return dots.value.flatMap((d) => {
      const up = by.get(d.parent)
      return up ? [{ key: d.name, x1: up.x, y1: up.y, x2: d.x, y2: d.y }] : []
    })
  })

  /** The way that the chosen joint's bone goes at rest, radians. */
  const zero = computed(() => {
    const joints = character.figure?.joints ?? []
    const own = joints.find((j) => j.name === posing.chosen)
    const below = own && joints.find((j) => j.parent === own.index)
    const above = own && joints.find((j) => j.index === own.parent)
    if (own && below) return Math.atan2(below.at[1] - own.at[1], below.at[0] - own.at[0])
    return own && above ? Math.atan2(own.at[1] - above.at[1], own.at[0] - above.at[0]) : 0
  })
  /** How far all joints above the chosen one have turned, radians. */
  const carried = computed(() => {
    const joints = character.figure?.joints ?? []
    let up = joints.find((j) => j.name === posing.chosen)?.parent ?? -1, sum = 0
    for (let n = joints.find((j) => j.index === up); n; n = joints.find((j) => j.index === up)) {
      sum += twistDeg(posing.joints[n.name] ?? REST, Z) / DEGREES
      up = n.parent
    }
    return sum
  })
  const arc = computed(() => {
    const dot = dots.value.find((d) => d.name === posing.chosen)
    if (!dot || tools.placing || tools.making || tools.brushing || posing.clip) return null
    const start = zero.value + carried.value, turn = posing.angle / DEGREES
    const end = (a: number) => ({ x: dot.x + RADIUS * Math.cos(a), y: dot.y - RADIUS * Math.sin(a) })
    const [a, b] = [end(start), end(start + turn)]
    const sweep = `M${dot.x} ${dot.y}L${a.x} ${a.y}A${RADIUS} ${RADIUS} 0 ${Math.abs(turn) > Math.PI ? 1 : 0} ${turn > 0 ? 0 : 1} ${b.x} ${b.y}Z`
    return { cx: dot.x, cy: dot.y, r: RADIUS, sweep, ...b }
  })
  function around(event: PointerEvent): number {
    const at = place(posing.chosen)!, now = plane.toWorld(event)
    return Math.atan2(now.y - at.y, now.x - at.x) * DEGREES
  }
  function grabArc(event: PointerEvent): void {
    posing.axis = [...Z]
    turning = { from: around(event), start: posing.angle }
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }
  function dragArc(event: PointerEvent): void {
    if (!turning) return
    const by = ((around(event) - turning.from + 540) % 360) - 180
    posing.bendTo(Math.max(-180, Math.min(180, turning.start + by)))
  }
  const dropArc = () => (turning = null)
  function nudgeArc(event: KeyboardEvent): void {
    const to = turnedByKey(event, posing.angle)
    if (to === null) return
    posing.axis = [...Z]
    posing.bendTo(to)
  }

  function grab(event: PointerEvent, joint: string): void {
    travelled = false
    reaching.begin()
    if (event.button !== 0 || character.sculpting) return
    held = { joint, x: event.clientX, y: event.clientY }
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent): void {
    if (!held || (!travelled && Math.hypot(event.clientX - held.x, event.clientY - held.y) < STILL)) return
    const to = plane.toWorld(event)
    travelled = true
    if (tools.placing) live.moving = { joint: held.joint, at: [to.x, to.y, 0], mirror: tools.mirrored }
    else if (canReach(held.joint)) live.reach = { joint: held.joint, at: [to.x, to.y, 0] }
  }
  async function drop(): Promise<void> {
    held = null
    const placed = live.moving
    if (placed) {
      await character.edit((c) => api.placeJoint(c, placed.joint, { at: placed.at, pose: posing.pose, mirror: placed.mirror }))
      live.moving = null
    } else reaching.letGo()
  }
  function cancel(): void {
    held = live.moving = null
    reaching.cancel()
  }
  const click = (name: string) => travelled || posing.chooseJoint(name)

  /** A click makes the next joint there, under the chosen one: one click after the other, however fast they come. */
  function make(at: Spot): void {
    made = made.then(async () => void (await tools.makeJoint(tools.nextName(), [at.x, at.y, 0], posing.pose)))
  }
  return { dots, bones, arc, place, canReach, grab, drag, drop, cancel, click, grabArc, dragArc, dropArc, nudgeArc, make }
}
