/** The character as two skins over one set of triangles: with remedies, and without. */
import {
  BufferAttribute, BufferGeometry, DoubleSide, LineBasicMaterial, LineSegments, Mesh, MeshStandardMaterial, type Scene,
} from 'three'
import { CLAY, heatColours } from './heat'

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
function wireEdges(p: Float32Array, t: Uint32Array): Uint32Array {
  const length = (a: number, b: number) =>
    Math.hypot(p[3 * a] - p[3 * b], p[3 * a + 1] - p[3 * b + 1], p[3 * a + 2] - p[3 * b + 2])
  const longest = new Map<number, number>()
  const size = p.length / 3
  for (let f = 0; f < t.length; f += 3) {
    const sides = [0, 1, 2].map((k) => [t[f + k], t[f + ((k + 1) % 3)]])
    const lengths = sides.map(([a, b]) => length(a, b))
    const most = Math.max(...lengths)
    sides.forEach(([a, b], k) => {
      const key = Math.min(a, b) * size + Math.max(a, b)
      longest.set(key, (longest.get(key) ?? 0) + (lengths[k] === most ? 1 : 0))
    })
  }
  const out: number[] = []
  for (const [key, count] of longest) if (count < 2) out.push(Math.floor(key / size), key % size)
  return new Uint32Array(out)
}

class Skin {
  readonly geometry = new BufferGeometry()
  readonly mesh: Mesh
  readonly lines: LineSegments
  private readonly lineGeometry = new BufferGeometry()

  constructor(private readonly triangles: Uint32Array, vertices: number, edges: Uint32Array, material: MeshStandardMaterial, ink: LineBasicMaterial) {
    this.geometry.setAttribute('position', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setAttribute('normal', new BufferAttribute(new Float32Array(3 * vertices), 3))
    const clay = Float32Array.from({ length: 3 * vertices }, (_, i) => [CLAY.r, CLAY.g, CLAY.b][i % 3])
    this.geometry.setAttribute('color', new BufferAttribute(clay, 3))
    this.geometry.setIndex(new BufferAttribute(triangles, 1))
    this.lineGeometry.setAttribute('position', this.geometry.getAttribute('position'))
    this.lineGeometry.setIndex(new BufferAttribute(edges, 1))
    this.mesh = new Mesh(this.geometry, material)
    this.lines = new LineSegments(this.lineGeometry, ink)
    this.mesh.frustumCulled = this.lines.frustumCulled = false
  }

  move(points: Float32Array): void {
    const position = this.geometry.getAttribute('position') as BufferAttribute
    const normal = this.geometry.getAttribute('normal') as BufferAttribute
    ;(position.array as Float32Array).set(points)
    computeNormals(points, this.triangles, normal.array as Float32Array)
    position.needsUpdate = normal.needsUpdate = true
    this.geometry.boundingSphere = this.geometry.boundingBox = null
  }

  heat(field: Float32Array | undefined): void {
    if (!field) return
    const colour = this.geometry.getAttribute('color') as BufferAttribute
    heatColours(field, colour.array as Float32Array)
    colour.needsUpdate = true
  }

  dispose(): void {
    this.geometry.dispose()
    this.lineGeometry.dispose()
  }
}

export class Figure {
  readonly with: Skin
  readonly without: Skin
  private readonly material = new MeshStandardMaterial({
    color: '#b3a696', roughness: 0.78, metalness: 0, side: DoubleSide,
    polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1,
  })
  private readonly ink = new LineBasicMaterial({ color: '#2a2632', transparent: true, opacity: 0.5 })

  constructor(rest: Float32Array, triangles: Uint32Array, scene: Scene) {
    const edges = wireEdges(rest, triangles)
    this.with = new Skin(triangles, rest.length / 3, edges, this.material, this.ink)
    this.without = new Skin(triangles, rest.length / 3, edges, this.material, this.ink)
    for (const skin of [this.with, this.without]) {
      skin.move(rest)
      scene.add(skin.mesh, skin.lines)
    }
  }

  /** Which of the two is drawn next. */
  show(which: 'with' | 'without', wire: boolean): void {
    this.with.mesh.visible = which === 'with'
    this.without.mesh.visible = which === 'without'
    this.with.lines.visible = wire && which === 'with'
    this.without.lines.visible = wire && which === 'without'
  }

  /** Colour each skin by its own volume heat, or plain clay. */
  paint(heat: Float32Array | undefined, heatWithout: Float32Array | undefined): void {
    const coloured = heat !== undefined
    this.with.heat(heat)
    this.without.heat(heatWithout)
    if (this.material.vertexColors !== coloured) {
      this.material.vertexColors = coloured
      this.material.color.set(coloured ? '#ffffff' : '#b3a696')
      this.material.needsUpdate = true
    }
  }

  dispose(): void {
    this.with.dispose()
    this.without.dispose()
    this.material.dispose()
    this.ink.dispose()
  }
}
