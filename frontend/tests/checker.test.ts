/** Squares over a skin: as large by texture coordinates as by the place at rest. */
import { expect, test } from 'vitest'
import { checkerPlaces, textureDensity } from '@/view/checker'

const rest = new Float32Array([0, 0, 0, 2, 0, 0, 0, 2, 0])
const triangles = new Uint32Array([0, 1, 2])
const of = new Uint32Array([0, 1, 2])
const colours = new Uint8Array(12)

test('a picture that covers four metres of skin has a quarter of its width to each', () => {
  const coordinates = new Float32Array([0, 0, 0.5, 0, 0, 0.5])
  expect(textureDensity({ of, coordinates, triangles, colours }, rest)).toBeCloseTo(0.25)
  const places = checkerPlaces({ of, coordinates, triangles, colours }, rest, 80)
  // A height of 80 metres has squares of one metre: two of them along each side.
  expect([...places].map((x) => Math.round(1000 * x) / 1000)).toEqual([0, 0, 0.5, 2, 0, 0.5, 0, 2, 0.5])
})

test('where there are no coordinates the squares go by the place at rest', () => {
  const coordinates = new Float32Array(6).fill(NaN)
  expect(textureDensity({ of, coordinates, triangles, colours }, rest)).toBe(0)
  const places = checkerPlaces({ of, coordinates, triangles, colours }, rest, 80)
  expect(places[3] - places[0]).toBeCloseTo(2)
  expect(places[5] - places[2]).toBeCloseTo(0)
})
