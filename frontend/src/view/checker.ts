/** Squares over a skin, on which stretch and sliding are seen: by texture coordinates, by the place at rest where there are none. */
import type { SurfaceMesh } from '@/api/surface'

/** So many squares over the figure's height. */
const SQUARES = 80

/** How many units of texture a metre of skin is, over all triangles that have coordinates; 0 where none has. */
export function textureDensity({ of, coordinates: uv, triangles: t }: SurfaceMesh, rest: Float32Array): number {
  let flat = 0, solid = 0
  for (let f = 0; f < t.length; f += 3) {
    const [a, b, c] = [t[f], t[f + 1], t[f + 2]]
    const area = Math.abs((uv[2 * b] - uv[2 * a]) * (uv[2 * c + 1] - uv[2 * a + 1]) - (uv[2 * c] - uv[2 * a]) * (uv[2 * b + 1] - uv[2 * a + 1]))
    if (!Number.isFinite(area)) continue
    const [p, q, r] = [3 * of[a], 3 * of[b], 3 * of[c]]
    const u = [0, 1, 2].map((k) => rest[q + k] - rest[p + k]), v = [0, 1, 2].map((k) => rest[r + k] - rest[p + k])
    flat += area
    solid += Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0])
  }
  return solid > 0 ? Math.sqrt(flat / solid) : 0
}

/** Where each vertex of the file lies among the squares `(F, 3)`: a change of colour at every whole number. */
export function checkerPlaces(surface: SurfaceMesh, rest: Float32Array, height: number): Float32Array {
  const out = new Float32Array(3 * surface.of.length), size = height / SQUARES
  const density = textureDensity(surface, rest)
  for (let v = 0; v < surface.of.length; v++) {
    const u = surface.coordinates[2 * v], w = surface.coordinates[2 * v + 1]
    if (density > 0 && Number.isFinite(u) && Number.isFinite(w)) {
      out[3 * v] = u / (density * size)
      out[3 * v + 1] = w / (density * size)
      out[3 * v + 2] = 0.5
    }
    // A little beside the planes on which figures are built, or whole rows would flicker between two squares.
    else for (let k = 0; k < 3; k++) out[3 * v + k] = rest[3 * surface.of[v] + k] / size + 0.371
  }
  return out
}
