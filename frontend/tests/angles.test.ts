/** Angles of one joint, against three.js and by what must hold whatever the rotation. */
import { Quaternion as Q, Vector3 } from 'three'
import { describe, expect, test } from 'vitest'
import type { Axis, Quaternion } from '@/api/client'
import { axisName, between, plainName, rotationOf, turnDeg, twistDeg, wayInWords, withTwist } from '@/workbench/angles'

const about = (axis: Axis, degrees: number): Quaternion => new Q().setFromAxisAngle(new Vector3(...axis), (degrees * Math.PI) / 180).toArray() as Quaternion
const times = (a: Quaternion, b: Quaternion) => new Q(...a).multiply(new Q(...b)).toArray() as Quaternion
const X: Axis = [1, 0, 0], Z: Axis = [0, 0, 1]

describe('a joint', () => {
  test.each([-179, -90, 0, 35.5, 120, 180])('turned by %f degrees about an axis says so, whatever the sign of its quaternion', (degrees) => {
    const turned = about(Z, degrees)
    expect(twistDeg(turned, Z)).toBeCloseTo(degrees, 6)
    expect(((twistDeg(turned.map((c) => -c) as Quaternion, Z) - degrees) % 360 + 360) % 360).toBeCloseTo(0, 6)
    expect(turnDeg(turned)).toBeCloseTo(Math.abs(degrees), 6)
  })
  test('set to an angle keeps its swing', () => {
    for (const [swing, twist, to] of [[40, 10, 75], [-100, 60, -20], [0, 170, 175]]) {
      const before = times(about(X, swing), about(Z, twist)), after = withTwist(before, Z, to)
      expect(twistDeg(after, Z)).toBeCloseTo(to, 5)
      expect(Math.abs(new Q(...after).dot(new Q(...times(about(X, swing), about(Z, to)))))).toBeCloseTo(1, 9)
    }
  })
  test('half way between two turns is half the angle', () => expect(twistDeg(between(about(Z, 20), about(Z, 80), 0.5), Z)).toBeCloseTo(50, 6))
  test('is read from a stored pose in either form', () => {
    expect(rotationOf([0, 0, 1, 0])).toEqual([0, 0, 1, 0])
    expect(rotationOf({ quaternion_xyzw: [1, 0, 0, 0], scale: [1, 1, 1] })).toEqual([1, 0, 0, 0])
    expect(rotationOf(undefined)).toEqual([0, 0, 0, 1])
  })
  test('and its axis are called in words', () => {
    expect(['left_upper_arm', 'LeftForeArm', 'lowerarm01.L'].map(plainName)).toEqual(['Left upper arm', 'Left fore arm', 'Lowerarm01 L'])
    expect([axisName([0, -1, 0]), axisName([1, 0, 0]), axisName([0.6, 0.8, 0])]).toEqual(['−Y', 'X', '0.60, 0.80, 0.00'])
  })
})

test('a way of a joint is said by where it points in the figure at rest', () => {
  expect(wayInWords([0, 0, 1], [0, 0, 0, 1], false)).toBe('forward')
  expect(wayInWords([-1, 0.02, 0.01], [0, 0, 0, 1], false)).toBe('to the right')
  expect(wayInWords([0, 0, 1], about([1, 0, 0], 45), false)).toMatch(/forward and down|down and forward/)
  // Where Z is up, a figure looks along −Y.
  expect(wayInWords([0, -1, 0], [0, 0, 0, 1], true)).toBe('forward')
  expect(wayInWords([0, 0, -1], [0, 0, 0, 1], true)).toBe('down')
})
