/** The response of a remedy as the strip reads it. */
import { expect, test } from 'vitest'
import type { RemedyCard } from '@/api/client'
import { badnessText, heightOf } from '@/bend-strip/badness'
import { activationAt, angleOf, roomAt } from '@/workbench/mending'

const card = (curve: number[][], at: number[] = [1]) =>
  ({ curve, targets: at.map((a) => ({ at: a })), trigger: { kind: 'hinge', start_deg: 0, end_deg: 90 } }) as unknown as RemedyCard
const straight = card([[0, 0], [90, 1]], [0.5, 1])

test('its activation is that of the drawn line, and holds beyond its ends', () => {
  expect([-10, 0, 30, 90, 120].map((a) => activationAt(straight, a))).toEqual([0, 0, 1 / 3, 1, 1])
  expect(activationAt(card([]), 40)).toBe(0)
})
test('its angle gives its activation back, rising or falling', () => {
  for (const curve of [[[0, 0], [60, 0.2], [90, 1]], [[-90, 1], [-30, 0.4], [0, 0]]])
    for (const on of [0.1, 0.5, 0.9]) expect(activationAt(card(curve), angleOf(card(curve), on)!)).toBeCloseTo(on, 9)
  expect(angleOf(card([[0, 0], [90, 0.5]]), 0.8)).toBeNull()
})
test('there is room for a target on the way, well beyond the end, and nowhere else', () => {
  expect([20, 45, 46, 90, 92, 95, 0].map((a) => roomAt(straight, a))).toEqual(['between', null, null, null, null, 'further', null])
})
test('what is worst is said in words, and marked on the curve that shows it', () => {
  const step = (measure: string, value: number) => ({ badness: { percent: 1, measure, value }, with: { volume: 88, girth: 70 } }) as never
  expect(badnessText({ percent: 10, measure: 'volume_loss', value: 12.34 })).toBe('loses 12.3 %')
  expect([heightOf(step('volume_gain', 12)), heightOf(step('girth_loss', 30)), heightOf(step('width_loss', 30))]).toEqual([88, 70, 70])
})
