/** The pose: which joints are turned, what dials are set to, and which joint is chosen. */
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import type { Axis, FigureInfo, Joints, Pose, Quaternion } from '@/api/client'
import { REST, rotationOf, sameAxis, turnDeg, twistDeg, withTwist } from './angles'
import { useCharacter } from './character'

/** What a pose of a clip may hold of a joint besides its turn. */
interface Placed { translation?: Axis | null; scale?: Axis | null }
/** A pose as a pose file says it. */
interface Stored { joints?: Record<string, unknown>; shapes?: Record<string, number>; dials?: Record<string, number> }
interface Held { joints: Joints; placed: Record<string, Placed>; shapes: Record<string, number>; dials: Record<string, number>; clip: { name: string; time: number } | null }

/** Frames of a clip per second, as it is stepped through. */
export const FRAMES = 30

export const usePose = defineStore('pose', () => {
  const character = useCharacter()
  const joints = ref<Joints>({})
  /** Joints that a kept pose moved or stretched as well, and shapes of the file that it had on: they come of clips. */
  const placed = ref<Record<string, Placed>>({})
  const shapes = ref<Record<string, number>>({})
  const dials = ref<Record<string, number>>({})
  const chosen = ref('')
  /** Joints that turn by the same share as the chosen one: fingers, a spine. */
  const together = ref<string[]>([])
  /** Counts how often a joint was chosen, the same one again too. */
  const choices = ref(0)
  const axis = ref<Axis>([0, 0, 1])
  /** The clip that is shown, and the moment of it, seconds; what is turned by hand goes on top. */
  const clip = ref<{ name: string; time: number } | null>(null)
  let held: Held | null = null

  /** What the server is asked for. */
  const pose = computed<Pose>(() => ({ joints: whole(), shapes: shapes.value, dials: dials.value, ...(clip.value ? { clip: clip.value } : {}) }))
  const jointInfo = computed(() => character.figure?.joints.find((j) => j.name === chosen.value) ?? null)
  /** Whether the chosen joint is bent about its own hinge. */
  const hinges = computed(() => jointInfo.value !== null && sameAxis(axis.value, jointInfo.value.hinge_axis as Axis))
  /** Whole turns of the chosen joint's angle: which of them it is, its range says, and that is the core's to read. */
  const turns = ref(0)
  const turned = computed(() => twistDeg(joints.value[chosen.value] ?? REST, axis.value))
  const angle = computed(() => turned.value + 360 * turns.value)
  /** The chosen joint's angle as the core reads it, or as it was set by hand. */
  function told(degrees: number): void {
    if (!clip.value) turns.value = Math.round((degrees - turned.value) / 360)
  }
  watch([chosen, axis], () => (turns.value = 0), { flush: 'sync' })
  const atRest = computed(() => !clip.value && !Object.keys(placed.value).length && !Object.keys(shapes.value).length && Object.values(joints.value).every((q) => turnDeg(q) < 0.5) && !Object.keys(dials.value).length)

  function whole(): NonNullable<Pose['joints']> {
    const moved = Object.entries(placed.value)
    if (!moved.length) return joints.value
    return { ...joints.value, ...Object.fromEntries(moved.map(([name, p]) => [name, { quaternion_xyzw: joints.value[name] ?? REST, ...p }])) }
  }
  /** Every joint back where it rests, the shapes of the file too; dials stay. */
  function straighten(): void {
    joints.value = {}
    placed.value = {}
    shapes.value = {}
  }

  function reset(): void {
    straighten()
    dials.value = {}
    together.value = []
    chosen.value = ''
    clip.value = null
    held = null
  }

  /** Show a clip from its start, or none; what was turned by hand is let go. */
  function chooseClip(name: string | null): void {
    if (character.sculpting) return
    held = null
    straighten()
    clip.value = name === null ? null : { name, time: 0 }
  }
  const clipLength = computed(() => character.state?.clips.find((c) => c.name === clip.value?.name)?.seconds ?? 0)
  function seek(time: number): void {
    if (clip.value && !character.sculpting) clip.value = { ...clip.value, time: Math.max(0, Math.min(clipLength.value, time)) }
  }
  /** A step along the strip: five degrees, or a frame of the clip. */
  function step(by: 1 | -1): void {
    if (clip.value) seek(Math.round(clip.value.time * FRAMES + by) / FRAMES)
    else bendTo(angle.value + 5 * by)
  }

  function chooseJoint(name: string): void {
    const info = character.figure?.joints.find((j) => j.name === name)
    if (!info) return
    if (name !== chosen.value) together.value = []
    chosen.value = name
    choices.value += 1
    axis.value = [...info.hinge_axis] as Axis
  }

  /** Bend the chosen joint to an angle about the chosen axis. */
  function bendTo(degrees: number): void {
    if (!chosen.value || character.sculpting) return
    held = null
    const posed = { ...joints.value, [chosen.value]: withTwist(joints.value[chosen.value] ?? REST, axis.value, degrees) }
    for (const name of together.value) {
      const own = character.figure?.joints.find((j) => j.name === name)
      // About its own hinge where the chosen one bends about its hinge, else about the axis of the same name.
      if (own) posed[name] = withTwist(joints.value[name] ?? REST, hinges.value ? (own.hinge_axis as Axis) : axis.value, degrees)
    }
    joints.value = posed
    told(degrees)
  }

  function goTo(joint: string, about: Axis, degrees: number): void {
    chosen.value = joint
    axis.value = [...about] as Axis
    bendTo(degrees)
  }

  /** Turn some joints to rotations of their own. */
  function turnTo(turned: Joints): void {
    if (character.sculpting) return
    held = null
    joints.value = { ...joints.value, ...turned }
  }

  function setDial(name: string, value: number | null): void {
    const left = { ...dials.value }
    if (value === null) delete left[name]
    else left[name] = value
    dials.value = left
  }

  /** Rest pose, and back to what it was. */
  function toggleRest(): void {
    if (character.sculpting) return
    if (!atRest.value) {
      held = { joints: joints.value, placed: placed.value, shapes: shapes.value, dials: dials.value, clip: clip.value }
      clip.value = null
      straighten()
      dials.value = {}
    } else if (held) ({ joints: joints.value, placed: placed.value, shapes: shapes.value, dials: dials.value, clip: clip.value } = held)
  }

  function resetJoint(name: string): void {
    if (character.sculpting) return
    const left = { ...joints.value }, stands = { ...placed.value }
    delete left[name]
    delete stands[name]
    joints.value = left
    placed.value = stands
  }

  /** A stored pose, as a pose file says it. */
  function take(stored: Stored): void {
    const entries = Object.entries(stored.joints ?? {})
    joints.value = Object.fromEntries(entries.map(([name, entry]): [string, Quaternion] => [name, rotationOf(entry)]))
    const moved = entries.flatMap(([name, entry]): [string, Placed][] => {
      const { translation, scale } = (entry ?? {}) as Placed
      return translation || scale ? [[name, { ...(translation ? { translation } : {}), ...(scale ? { scale } : {}) }]] : []
    })
    placed.value = Object.fromEntries(moved)
    shapes.value = { ...stored.shapes }
    dials.value = { ...stored.dials }
  }

  /** Go to a pose: what was shown before is let go. */
  function go(pose: Stored): void {
    if (character.sculpting) return
    clip.value = null
    held = null
    take(pose)
  }

  // A sculpt in progress holds its own pose.
  watch(() => character.sculpting, (sculpt) => sculpt && !clip.value && take(sculpt.pose as Parameters<typeof take>[0]), { flush: 'sync' })

  /** Joints that were edited go on under their new names; what is gone is let go of. */
  function follow(info: FigureInfo | null, before: FigureInfo | null): void {
    if (!info || !before) return
    const was = before.joints.find((j) => j.name === chosen.value)
    const changed = character.state?.change ?? {}
    const there = (name: string | undefined) => info.joints.find((j) => j.name === name)
    const now = (name: string) => there(name in changed ? (changed[name] ?? undefined) : name)?.name
    const renamed = <T>(of: Record<string, T>): Record<string, T> =>
      Object.fromEntries(Object.entries(of).flatMap(([name, value]) => (now(name) ? [[now(name)!, value]] : [])))
    joints.value = renamed(joints.value)
    placed.value = renamed(placed.value)
    held = null
    const parent = before.joints.find((j) => j.index === was?.parent)?.name
    const next = there(now(chosen.value)) ?? (parent ? there(now(parent)) : undefined) ?? info.joints[0]
    if (next && next.name !== chosen.value) chooseJoint(next.name)
    else if (!next) chosen.value = ''
    else if (was && sameAxis(axis.value, was.hinge_axis as Axis)) axis.value = [...next.hinge_axis] as Axis
  }
  watch(() => character.figure, follow, { flush: 'sync' })

  return { joints, placed, shapes, dials, together, clip, clipLength, chooseClip, seek, step, pose, chosen, choices, axis, jointInfo, angle, told, atRest, reset, chooseJoint, bendTo, goTo, turnTo, setDial, toggleRest, resetJoint, take, go }
})
