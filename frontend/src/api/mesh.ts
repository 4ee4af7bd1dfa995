/** The mesh of a character as the server packs it: see `mesh_bytes` in web/states.py. */

export interface Mesh {
  rest: Float32Array
  triangles: Uint32Array
  /** Linear RGB in [0, 1]; `plain` where the file says no colour. */
  colours: Float32Array
}

export function unpackMesh(data: ArrayBuffer, plain: { r: number; g: number; b: number }): Mesh {
  const [vertices, triangles] = new Uint32Array(data, 0, 2)
  const end = 8 + 12 * (vertices + triangles)
  const packed = new Uint8Array(data, end, 4 * vertices)
  const colours = new Float32Array(3 * vertices)
  for (let v = 0; v < vertices; v++) {
    const known = packed[4 * v + 3] > 0
    colours[3 * v] = known ? packed[4 * v] / 255 : plain.r
    colours[3 * v + 1] = known ? packed[4 * v + 1] / 255 : plain.g
    colours[3 * v + 2] = known ? packed[4 * v + 2] / 255 : plain.b
  }
  return {
    rest: new Float32Array(data, 8, 3 * vertices),
    triangles: new Uint32Array(data, 8 + 12 * vertices, 3 * triangles),
    colours,
  }
}

/** One level of subdivision: each finer point as a mean of coarse ones; see `subdivision_bytes` in web/states.py. */
export class Subdivision {
  readonly points: number
  readonly triangles: Uint32Array
  private readonly starts: Uint32Array
  private readonly columns: Uint32Array
  private readonly weights: Float32Array

  constructor(data: ArrayBuffer) {
    const [points, entries, triangles] = new Uint32Array(data, 0, 3)
    this.points = points
    this.starts = new Uint32Array(data, 12, points + 1)
    const columns = 12 + 4 * (points + 1)
    this.columns = new Uint32Array(data, columns, entries)
    this.weights = new Float32Array(data, columns + 4 * entries, entries)
    this.triangles = new Uint32Array(data, columns + 8 * entries, 3 * triangles)
  }

  /** Values `(V, width)` of the coarse vertices at the finer points, written into `out`. */
  apply(values: ArrayLike<number>, width: 1 | 3, out: Float32Array): Float32Array {
    for (let p = 0; p < this.points; p++) {
      let a = 0, b = 0, c = 0
      for (let k = this.starts[p]; k < this.starts[p + 1]; k++) {
        const v = this.columns[k] * width, w = this.weights[k]
        a += w * values[v]
        if (width === 3) {
          b += w * values[v + 1]
          c += w * values[v + 2]
        }
      }
      out[p * width] = a
      if (width === 3) {
        out[p * width + 1] = b
        out[p * width + 2] = c
      }
    }
    return out
  }
}
