/** Turning one joint: the client only moves quaternions about; what they do to the skin is worked out in the core. */
import { Quaternion as Q, Vector3 } from 'three'
import type { Axis, Quaternion } from '@/api/client'

const DEGREES = 180 / Math.PI
export const REST: Quaternion = [0, 0, 0, 1]

/** Twist of a rotation about a unit axis, degrees in (-180, 180]. */
export function twistDeg(rotation: Quaternion, axis: Axis): number {
  const [x, y, z, w] = rotation
  const along = x * axis[0] + y * axis[1] + z * axis[2]
  const sign = w < 0 ? -1 : 1
  if (Math.hypot(along, w) < 1e-9) return 0
  return 2 * Math.atan2(along * sign, w * sign) * DEGREES
}

/** The rotation with its twist about `axis` set to `degrees`; its swing stays. */
export function withTwist(rotation: Quaternion, axis: Axis, degrees: number): Quaternion {
  const unit = new Vector3(...axis)
  const whole = new Q(...rotation)
  const before = new Q().setFromAxisAngle(unit, twistDeg(rotation, axis) / DEGREES)
  const after = new Q().setFromAxisAngle(unit, degrees / DEGREES)
  const turned = whole.multiply(before.invert()).multiply(after).normalize()
  return [turned.x, turned.y, turned.z, turned.w]
}

/** How far a rotation is from rest, degrees. */
export function turnDeg(rotation: Quaternion): number {
  return 2 * Math.atan2(Math.hypot(rotation[0], rotation[1], rotation[2]), Math.abs(rotation[3])) * DEGREES
}

/** The rotation in an entry of a stored pose: a quaternion alone, or among what else is said of the joint. */
export function rotationOf(entry: unknown): Quaternion {
  return (Array.isArray(entry) ? entry : ((entry as { quaternion_xyzw?: Quaternion } | undefined)?.quaternion_xyzw ?? REST)) as Quaternion
}

/** The rotation that is so far on the way from one to another, by the shortest turn. */
export function between(a: Quaternion, b: Quaternion, share: number): Quaternion {
  const turned = new Q(...a).slerp(new Q(...b), share)
  return [turned.x, turned.y, turned.z, turned.w]
}

export function sameAxis(a: Axis, b: Axis): boolean {
  return Math.abs(a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) > 0.9999
}

/** X, Y, Z for a joint's own axes, else the numbers. */
export function axisName(axis: readonly number[]): string {
  const names = ['X', 'Y', 'Z']
  const k = axis.findIndex((c) => Math.abs(Math.abs(c) - 1) < 1e-4)
  if (k >= 0) return axis[k] < 0 ? `−${names[k]}` : names[k]
  return axis.map((c) => c.toFixed(2)).join(', ')
}

/** The ways round a figure that stands with Y up and looks along Z; its left is where X grows. */
const WAYS: [string, string][] = [['to the left', 'to the right'], ['up', 'down'], ['forward', 'back']]

/** Where a way of a joint's own frame points in the figure at rest, in words: “forward and down”. */
export function wayInWords(way: readonly number[], turn: Quaternion, zUp: boolean): string {
  const { x, y, z } = new Vector3(...(way as Axis)).normalize().applyQuaternion(new Q(...turn))
  const parts = (zUp ? [x, z, -y] : [x, y, z]).map((size, k) => ({ size: Math.abs(size), word: WAYS[k][size < 0 ? 1 : 0] })).sort((a, b) => b.size - a.size)
  return parts[1].size > 0.4 ? `${parts[0].word} and ${parts[1].word}` : parts[0].word
}

/** `left_upper_arm` reads as "Left upper arm". */
export function plainName(name: string): string {
  const apart = name.replace(/([a-z\d])([A-Z])/g, '$1 $2').replace(/[_.]+/g, ' ').trim()
  const words = apart.replace(/\b[A-Z][a-z]+\b/g, (word) => word.toLowerCase())
  return words.charAt(0).toUpperCase() + words.slice(1)
}
