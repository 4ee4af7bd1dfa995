/** One skin as it is drawn: triangles that move, their wire, and the rim of what is picked on them. */
import { BufferAttribute, BufferGeometry, type LineBasicMaterial, LineSegments, type Material, Mesh as Drawn } from 'three'

function computeNormals(p: Float32Array, t: Uint32Array, out: Float32Array): void {
  out.fill(0)
  for (let f = 0; f < t.length; f += 3) {
    const a = 3 * t[f], b = 3 * t[f + 1], c = 3 * t[f + 2]
    const ux = p[b] - p[a], uy = p[b + 1] - p[a + 1], uz = p[b + 2] - p[a + 2]
    const vx = p[c] - p[a], vy = p[c + 1] - p[a + 1], vz = p[c + 2] - p[a + 2]
    const nx = uy * vz - uz * vy, ny = uz * vx - ux * vz, nz = ux * vy - uy * vx
    out[a] += nx; out[a + 1] += ny; out[a + 2] += nz
    out[b] += nx; out[b + 1] += ny; out[b + 2] += nz
    out[c] += nx; out[c + 1] += ny; out[c + 2] += nz
  }
}

/** Edges to draw: those that are not the diagonal of a quad (the longest side of both its triangles). */
export function wireEdges(p: Float32Array, t: Uint32Array): Uint32Array {
  const size = p.length / 3
  const length = (a: number, b: number) => (p[3 * a] - p[3 * b]) ** 2 + (p[3 * a + 1] - p[3 * b + 1]) ** 2 + (p[3 * a + 2] - p[3 * b + 2]) ** 2
  // An edge as one number, and whether it is the longest of its triangle: sorted, the two of an edge stand side by side.
  const sides = new Float64Array(t.length)
  for (let f = 0; f < t.length; f += 3) {
    const a = t[f], b = t[f + 1], c = t[f + 2]
    const ab = length(a, b), bc = length(b, c), ca = length(c, a), most = Math.max(ab, bc, ca)
    sides[f] = 2 * (Math.min(a, b) * size + Math.max(a, b)) + Number(ab === most)
    sides[f + 1] = 2 * (Math.min(b, c) * size + Math.max(b, c)) + Number(bc === most)
    sides[f + 2] = 2 * (Math.min(c, a) * size + Math.max(c, a)) + Number(ca === most)
  }
  sides.sort()
  const out = new Uint32Array(2 * sides.length)
  let count = 0
  for (let k = 0; k < sides.length;) {
    const key = Math.floor(sides[k] / 2)
    let longest = 0
    for (; k < sides.length && Math.floor(sides[k] / 2) === key; k++) longest += sides[k] % 2
    if (longest > 1) continue
    out[count++] = Math.floor(key / size)
    out[count++] = key % size
  }
  return out.slice(0, count)
}

/** The rim of a region: where its share crosses a half, as points between two vertices each. Two points a segment. */
export class Rim {
  private readonly ends: number[] = []
  private readonly along: number[] = []

  constructor(region: Float32Array | null, t: Uint32Array) {
    if (!region) return
    for (let f = 0; f < t.length; f += 3) {
      for (let k = 0, found = 0; k < 3 && found < 2; k++) {
        const a = t[f + k], b = t[f + ((k + 1) % 3)]
        if (region[a] >= 0.5 === region[b] >= 0.5) continue
        this.ends.push(a, b)
        this.along.push((0.5 - region[a]) / (region[b] - region[a]))
        found++
      }
    }
  }

  /** Its points `(N, 3)` on a posed skin. */
  points(p: Float32Array): Float32Array {
    const out = new Float32Array(3 * this.along.length)
    for (let i = 0; i < this.along.length; i++) {
      const a = 3 * this.ends[2 * i], b = 3 * this.ends[2 * i + 1], t = this.along[i]
      for (let c = 0; c < 3; c++) out[3 * i + c] = p[a + c] + t * (p[b + c] - p[a + c])
    }
    return out
  }
}

/** Points over triangles, with their wire and the rim of a region. */
export class Skin {
  readonly geometry = new BufferGeometry()
  readonly mesh: Drawn
  readonly lines: LineSegments
  readonly rim: LineSegments
  /** The same triangles drawn a second time, faintly, where something stands in the way; null = none. */
  readonly mist: Drawn | null
  private readonly lineGeometry = new BufferGeometry()
  private readonly rimGeometry = new BufferGeometry()
  private region = new Rim(null, new Uint32Array(0))

  constructor(private readonly triangles: Uint32Array, vertices: number, edges: Uint32Array, private readonly material: Material, private readonly ink: LineBasicMaterial, bright: LineBasicMaterial, private readonly faint: Material | null = null) {
    this.geometry.setAttribute('position', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setAttribute('normal', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setAttribute('color', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setIndex(new BufferAttribute(triangles, 1))
    this.lineGeometry.setAttribute('position', this.geometry.getAttribute('position'))
    this.lineGeometry.setIndex(new BufferAttribute(edges, 1))
    this.mesh = new Drawn(this.geometry, material)
    this.lines = new LineSegments(this.lineGeometry, ink)
    this.rim = new LineSegments(this.rimGeometry, bright)
    this.mist = faint && new Drawn(this.geometry, faint)
    if (this.mist) {
      this.mist.frustumCulled = false
      this.mist.renderOrder = 1
    }
    this.mesh.frustumCulled = this.lines.frustumCulled = this.rim.frustumCulled = false
  }

  move(points: Float32Array): void {
    const position = this.geometry.getAttribute('position') as BufferAttribute
    const normal = this.geometry.getAttribute('normal') as BufferAttribute
    ;(position.array as Float32Array).set(points)
    computeNormals(points, this.triangles, normal.array as Float32Array)
    position.needsUpdate = normal.needsUpdate = true
    this.geometry.boundingSphere = this.geometry.boundingBox = null
    this.outline()
  }

  /** Write the vertex colours. */
  colour(write: (out: Float32Array) => void): void {
    const colour = this.geometry.getAttribute('color') as BufferAttribute
    write(colour.array as Float32Array)
    colour.needsUpdate = true
  }

  /** Draw the rim of a region brightly, from now on in every pose. */
  outline(region: Rim = this.region): void {
    this.region = region
    const points = region.points((this.geometry.getAttribute('position') as BufferAttribute).array as Float32Array)
    const now = this.rimGeometry.getAttribute('position') as BufferAttribute | undefined
    if (now?.array.length === points.length) {
      ;(now.array as Float32Array).set(points)
      now.needsUpdate = true
      return
    }
    // Another number of points needs another buffer on the graphics card; the old one is let go of.
    this.rimGeometry.dispose()
    this.rimGeometry.setAttribute('position', new BufferAttribute(points, 3))
  }

  /** Draw some ranges of triangles only. */
  only(ranges: [number, number][] | null, edges: [number, number][] | null): void {
    for (const [geometry, kept, per] of [[this.geometry, ranges, 3], [this.lineGeometry, edges, 2]] as const) {
      geometry.clearGroups()
      for (const [start, stop] of kept ?? []) geometry.addGroup(start * per, (stop - start) * per, 0)
    }
    this.mesh.material = ranges ? [this.material] : this.material
    if (this.mist && this.faint) this.mist.material = ranges ? [this.faint] : this.faint
    this.lines.material = edges ? [this.ink] : this.ink
  }

  dispose(): void {
    this.geometry.dispose()
    this.lineGeometry.dispose()
    this.rimGeometry.dispose()
  }
}
