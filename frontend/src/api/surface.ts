/** How a character's file draws its surface, as the server packs it: see `surface_bytes` in service/told/surfaces.py. */
import type { Schemas } from './client'

export interface SurfaceMesh {
  /** The vertex of the figure that each vertex of the file is. */
  of: Uint32Array
  /** Two each; NaN where the file says none. */
  coordinates: Float32Array
  triangles: Uint32Array
  /** Linear RGBA, four bytes each. */
  colours: Uint8Array
}

export type SurfaceLook = Schemas['SurfaceInfo']

export function unpackSurface(data: ArrayBuffer): SurfaceMesh {
  const [vertices, triangles] = new Uint32Array(data, 0, 2)
  const coordinates = 8 + 4 * vertices, corners = coordinates + 8 * vertices
  return {
    of: new Uint32Array(data, 8, vertices),
    coordinates: new Float32Array(data, coordinates, 2 * vertices),
    triangles: new Uint32Array(data, corners, 3 * triangles),
    colours: new Uint8Array(data, corners + 12 * triangles, 4 * vertices),
  }
}
