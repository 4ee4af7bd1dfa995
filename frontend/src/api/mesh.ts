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
