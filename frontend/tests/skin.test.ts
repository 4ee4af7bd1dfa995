/** What is drawn of a skin besides its triangles. */
import { expect, test } from 'vitest'
import { wireEdges } from '@/view/skin'

test('the wire leaves out the diagonals of quads and keeps the sides of single triangles', () => {
  // Two quads side by side, cut along different diagonals, and one triangle more.
  const places = new Float32Array([0, 0, 0, 1, 0, 0, 2, 0, 0, 0, 1, 0, 1, 1, 0, 2, 1, 0, 3, 0, 0])
  const triangles = new Uint32Array([0, 1, 4, 0, 4, 3, 1, 2, 4, 2, 5, 4, 2, 6, 5])
  const edges = [...wireEdges(places, triangles)]
  const pairs = edges.flatMap((a, k) => (k % 2 ? [] : [`${a}-${edges[k + 1]}`]))
  expect(pairs).toEqual(['0-1', '0-3', '1-2', '1-4', '2-5', '2-6', '3-4', '4-5', '5-6'])
})
