/** The pose of the page: what is asked for, what undoes what, and where it goes when joints change. */
import { createPinia, setActivePinia } from 'pinia'
import { nextTick } from 'vue'
import { beforeEach, expect, test } from 'vitest'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const joint = (name: string, index: number, parent = -1) => ({ name, index, parent, hinge_axis: [0, 0, 1], bends: true })
const figure = (...joints: object[]) => ({ joints }) as never
let posing: ReturnType<typeof usePose>, character: ReturnType<typeof useCharacter>

beforeEach(() => {
  setActivePinia(createPinia())
  character = useCharacter()
  posing = usePose()
  character.figure = figure(joint('upper', 0), joint('lower', 1, 0))
  posing.chooseJoint('lower')
})

test('it is bent to what is typed, also beyond half a turn, and steps by five degrees', () => {
  posing.bendTo(40)
  posing.step(1)
  expect(posing.angle).toBeCloseTo(45, 6)
  posing.bendTo(200)
  expect(posing.angle).toBeCloseTo(200, 6)
  posing.told(200)
  expect(posing.angle).toBeCloseTo(200, 6)
})
test('fingers turn together by the same angle', () => {
  posing.together = ['upper']
  posing.bendTo(30)
  expect(posing.joints.upper).toEqual(posing.joints.lower)
})
test('rest and back again is where it was, dials too', () => {
  posing.bendTo(70)
  posing.setDial('wet', 0.5)
  const before = JSON.stringify(posing.pose)
  posing.toggleRest()
  expect(posing.atRest).toBe(true)
  posing.toggleRest()
  expect(JSON.stringify(posing.pose)).toBe(before)
})
test('a kept pose is gone to with what it moves, and let go joint by joint', () => {
  posing.go({ joints: { lower: { quaternion_xyzw: [0, 0, 1, 0], translation: [1, 0, 0] } }, shapes: { smile: 1 }, dials: {} })
  expect(posing.pose).toEqual({ joints: { lower: { quaternion_xyzw: [0, 0, 1, 0], translation: [1, 0, 0] } }, shapes: { smile: 1 }, dials: {} })
  posing.resetJoint('lower')
  expect(posing.pose.joints).toEqual({})
})
test('a joint that is renamed goes on turned and chosen; where it is gone its parent is chosen', async () => {
  posing.bendTo(50)
  character.state = { change: { lower: 'shin' }, clips: [] } as never
  character.figure = figure(joint('upper', 0), joint('shin', 1, 0))
  await nextTick()
  expect([posing.chosen, Object.keys(posing.joints)]).toEqual(['shin', ['shin']])
  character.state = { change: { shin: null }, clips: [] } as never
  character.figure = figure(joint('upper', 0))
  expect([posing.chosen, posing.joints]).toEqual(['upper', {}])
})
