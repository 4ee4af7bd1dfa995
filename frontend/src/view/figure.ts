/** The character as two skins over one set of triangles: with remedies, and without. */
import {
  BufferAttribute, BufferGeometry, DoubleSide, LineBasicMaterial, LineSegments, type Material, Mesh as Drawn, MeshStandardMaterial, ShaderMaterial, type Scene, Vector3,
} from 'three'
import type { Mesh, Subdivision } from '@/api/mesh'
import { heatColours, plainClay, tintColours, weightColours } from './heat'

export type Look = 'colour' | 'clay' | 'volume' | 'weights' | 'mixed'

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

/** The rim of a region: where its share crosses a half, as points between two vertices each. Two points a segment. */
class Rim {
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

class Skin {
  readonly geometry = new BufferGeometry()
  readonly mesh: Drawn
  readonly lines: LineSegments
  readonly rim: LineSegments
  private readonly lineGeometry = new BufferGeometry()
  private readonly rimGeometry = new BufferGeometry()
  private region = new Rim(null, new Uint32Array(0))

  constructor(private readonly triangles: Uint32Array, vertices: number, edges: Uint32Array, private readonly material: Material, private readonly ink: LineBasicMaterial, bright: LineBasicMaterial) {
    this.geometry.setAttribute('position', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setAttribute('normal', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setAttribute('color', new BufferAttribute(new Float32Array(3 * vertices), 3))
    this.geometry.setIndex(new BufferAttribute(triangles, 1))
    this.lineGeometry.setAttribute('position', this.geometry.getAttribute('position'))
    this.lineGeometry.setIndex(new BufferAttribute(edges, 1))
    this.mesh = new Drawn(this.geometry, material)
    this.lines = new LineSegments(this.lineGeometry, ink)
    this.rim = new LineSegments(this.rimGeometry, bright)
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
    this.lines.material = edges ? [this.ink] : this.ink
  }

  dispose(): void {
    this.geometry.dispose()
    this.lineGeometry.dispose()
    this.rimGeometry.dispose()
  }
}

/** What is looked at: a joint's place, and how far round it; nothing of another limb stands before it. */
interface Clearing { at: Vector3; reach: number }

/** How far before a clearing what hides it ends, as a share of its reach. */
const BEFORE = 0.6

/** Let what stands between the eye and a clearing fade, as a screen of dots: no sorting, and it is still seen to be there. */
const FADE = {
  vertex: ['#include <begin_vertex>', `#include <begin_vertex>
    vApart = apart;
    vGone = gone;
    vPlace = (modelMatrix * vec4(transformed, 1.0)).xyz;`],
  fragment: ['#include <clipping_planes_fragment>', `#include <clipping_planes_fragment>
    if (vGone > 0.5) discard;
    if (clearReach > 0.0 && vApart > 0.5) {
      vec3 line = clearAt - cameraPosition;
      float away = length(line);
      float along = dot(vPlace - cameraPosition, line) / away;
      float beside = length(vPlace - cameraPosition - line * (along / away));
      vec2 dot_ = floor(gl_FragCoord.xy);
      if (along < away - ${BEFORE} * clearReach && beside < clearReach && mod(dot_.x + 2.0 * dot_.y, 5.0) > 0.5) discard;
    }`],
}

export class Figure {
  readonly with: Skin
  readonly without: Skin
  private readonly material = new MeshStandardMaterial({
    vertexColors: true, roughness: 0.78, metalness: 0, side: DoubleSide,
    polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1,
  })
  private readonly clearing = { clearAt: { value: new Vector3() }, clearReach: { value: 0 } }
  private readonly apart: BufferAttribute
  private readonly gone: BufferAttribute
  /** A skin that is seen through: its contours, drawn over everything. */
  private readonly veil = new ShaderMaterial({
    transparent: true, depthTest: false, depthWrite: false, clipping: true,
    vertexShader: `#include <clipping_planes_pars_vertex>
      varying vec3 vNormal_; varying vec3 vEye;
      void main() {
        vec4 mvPosition = modelViewMatrix * vec4(position, 1.0);
        #include <clipping_planes_vertex>
        vNormal_ = normalMatrix * normalize(normal);
        vEye = -mvPosition.xyz;
        gl_Position = projectionMatrix * mvPosition;
      }`,
    fragmentShader: `#include <clipping_planes_pars_fragment>
      varying vec3 vNormal_; varying vec3 vEye;
      void main() {
        #include <clipping_planes_fragment>
        float facing = abs(dot(normalize(vNormal_), normalize(vEye)));
        gl_FragColor = vec4(0.38, 0.78, 0.66, 0.04 + 0.8 * pow(1.0 - facing, 3.0));
      }`,
  })
  /** Another skin that is seen through, and the smoothed ones; made when they are first wanted. */
  private ghost: Skin | null = null
  private fine: { by: Subdivision; with: Skin; without: Skin; scratch: Float32Array; on: boolean } | null = null
  private readonly ink = new LineBasicMaterial({ color: '#2a2632', transparent: true, opacity: 0.5 })

  private readonly edges: Uint32Array
  private readonly bright = new LineBasicMaterial({ color: '#f7d9ee' })
  private painted: Look | null = null
  private region: Float32Array | null = null

  constructor(private readonly drawn: Mesh, private readonly scene: Scene) {
    const { rest, triangles } = drawn
    this.apart = new BufferAttribute(new Float32Array(rest.length / 3), 1)
    this.gone = new BufferAttribute(new Float32Array(rest.length / 3), 1)
    this.material.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, this.clearing)
      shader.vertexShader = `attribute float apart; attribute float gone; varying float vApart; varying float vGone; varying vec3 vPlace;\n${shader.vertexShader.replace(FADE.vertex[0], FADE.vertex[1])}`
      shader.fragmentShader = `uniform vec3 clearAt; uniform float clearReach; varying float vApart; varying float vGone; varying vec3 vPlace;\n${shader.fragmentShader.replace(FADE.fragment[0], FADE.fragment[1])}`
    }
    const edges = wireEdges(rest, triangles)
    this.edges = edges
    this.with = new Skin(triangles, rest.length / 3, edges, this.material, this.ink, this.bright)
    this.without = new Skin(triangles, rest.length / 3, edges, this.material, this.ink, this.bright)
    for (const skin of [this.with, this.without]) {
      skin.move(rest)
      skin.geometry.setAttribute('apart', this.apart)
      skin.geometry.setAttribute('gone', this.gone)
      scene.add(skin.mesh, skin.lines, skin.rim)
    }
  }

  /** Say which vertices belong to another limb than the one that is looked at. */
  setApart(write: (out: Float32Array) => void): void {
    write(this.apart.array as Float32Array)
    this.apart.needsUpdate = true
  }

  /** Leave vertices out whose share is over a half, in the view and for the brush; null = none. */
  hide(shares: Float32Array | null): void {
    const out = this.gone.array as Float32Array
    if (shares) out.set(shares)
    else out.fill(0)
    this.gone.needsUpdate = true
    if (this.fine) this.spread()
  }
  /** Whether a vertex is left out. */
  hidden(vertex: number): boolean {
    return this.gone.array[vertex] > 0.5
  }

  /** Show a skin through the others; null = none. */
  seeThrough(points: Float32Array | null): void {
    if (points && !this.ghost) {
      this.ghost = new Skin(this.drawn.triangles, points.length / 3, this.edges, this.veil, this.ink, this.bright)
      this.ghost.mesh.renderOrder = 1
      this.scene.add(this.ghost.mesh)
    }
    if (this.ghost) this.ghost.mesh.visible = points !== null
    if (points) this.ghost!.move(points)
  }

  /** Draw the skins smoothed by one level of subdivision, or as they are. */
  smooth(by: Subdivision | null): void {
    if (by && !this.fine) {
      const make = () => new Skin(by.triangles, by.points, new Uint32Array(0), this.material, this.ink, this.bright)
      this.fine = { by, with: make(), without: make(), scratch: new Float32Array(3 * by.points), on: true }
      for (const skin of [this.fine.with, this.fine.without]) {
        skin.geometry.setAttribute('apart', new BufferAttribute(new Float32Array(by.points), 1))
        skin.geometry.setAttribute('gone', new BufferAttribute(new Float32Array(by.points), 1))
        this.scene.add(skin.mesh)
      }
      this.keepFine()
    }
    if (!this.fine) return
    this.fine.on = by !== null
    this.follow()
  }
  /** Bring the smoothed skins to where the others are now. */
  follow(): void {
    const fine = this.fine
    if (!fine?.on) return
    for (const which of ['with', 'without'] as const) {
      const from = this[which].geometry, to = fine[which]
      to.move(fine.by.apply((from.getAttribute('position') as BufferAttribute).array, 3, fine.scratch))
      to.colour((out) => void fine.by.apply((from.getAttribute('color') as BufferAttribute).array, 3, out))
    }
    this.spread()
  }
  /** What is told vertex by vertex, on the smoothed skins. */
  private spread(): void {
    for (const [name, from] of [['apart', this.apart], ['gone', this.gone]] as const) {
      for (const skin of [this.fine!.with, this.fine!.without]) {
        const to = skin.geometry.getAttribute(name) as BufferAttribute
        this.fine!.by.apply(from.array, 1, to.array as Float32Array)
        to.needsUpdate = true
      }
    }
  }
  private ranges: [number, number][] | null = null
  private keepFine(): void {
    // Each triangle has become four, one after the other.
    const four = this.ranges?.map(([a, b]): [number, number] => [4 * a, 4 * b]) ?? null
    this.fine?.with.only(four, null)
    this.fine?.without.only(four, null)
  }

  /** Look at a place that nothing of another limb is to hide; null = nothing fades. */
  clear(what: Clearing | null): void {
    if (what) this.clearing.clearAt.value.copy(what.at)
    this.clearing.clearReach.value = what?.reach ?? 0
  }

  /** Whether a place on the skin has faded for an eye, so that no brush meets it. */
  faded(vertex: number, place: Vector3, eye: Vector3): boolean {
    const reach = this.clearing.clearReach.value
    if (!reach || this.apart.array[vertex] < 0.5) return false
    const line = this.clearing.clearAt.value.clone().sub(eye), away = line.length()
    const along = place.clone().sub(eye).dot(line) / away
    return along < away - BEFORE * reach && place.clone().sub(eye).addScaledVector(line, -along / away).length() < reach
  }

  /** Which of the two is drawn next. */
  show(which: 'with' | 'without', wire: boolean): void {
    const fine = this.fine?.on ? this.fine : null
    this.with.mesh.visible = which === 'with' && !fine
    this.without.mesh.visible = which === 'without' && !fine
    if (this.fine) {
      this.fine.with.mesh.visible = which === 'with' && fine !== null
      this.fine.without.mesh.visible = which === 'without' && fine !== null
    }
    this.with.rim.visible = which === 'with'
    this.without.rim.visible = which === 'without'
    this.with.lines.visible = wire && which === 'with'
    this.without.lines.visible = wire && which === 'without'
  }

  /** Show what is picked `(V,)` over whatever the skins are coloured by; null = nothing. Acts with the next `paint`. */
  tint(region: Float32Array | null): void {
    if (!region && !this.region) return
    this.region = region
    this.painted = null
    const rim = new Rim(region, this.drawn.triangles)
    for (const skin of [this.with, this.without]) skin.outline(rim)
  }

  /** Colour both skins: by the file's own colours, plain clay, the weights of one joint or of all, or its volume heat. */
  paint(look: Look, field?: Float32Array, fieldWithout?: Float32Array): void {
    const write = (skin: Skin, own: Float32Array | undefined) =>
      skin.colour((out) => {
        if (look === 'weights' && own) weightColours(own, out)
        else if (look === 'mixed' && own) out.set(own)
        else if (look === 'volume' && own) heatColours(own, out)
        else if (look === 'colour') out.set(this.drawn.colours)
        else plainClay(out)
        if (this.region) tintColours(this.region, out)
      })
    const still = look === 'colour' || look === 'clay'
    if (!still || look !== this.painted) {
      write(this.with, field)
      // Weights are the same on both sides of the wipe; volume is not.
      if (look !== 'volume' || fieldWithout) write(this.without, look === 'volume' ? fieldWithout : field)
    }
    this.painted = look
  }

  /** Leave parts out: the ranges of triangles that stay, or null for all. */
  keep(ranges: [number, number][] | null): void {
    const edges = ranges ? this.edgeRanges(ranges) : null
    this.with.only(ranges, edges)
    this.without.only(ranges, edges)
    this.ranges = ranges
    this.keepFine()
  }

  /** Ranges of edges whose first vertex belongs to the triangles of the ranges: parts lie one after the other. */
  private edgeRanges(ranges: [number, number][]): [number, number][] {
    const t = this.drawn.triangles
    const vertices = ranges.map(([start, stop]) => {
      let low = Infinity, high = -1
      for (let i = 3 * start; i < 3 * stop; i++) {
        if (t[i] < low) low = t[i]
        if (t[i] > high) high = t[i]
      }
      return [low, high]
    })
    const out: [number, number][] = []
    const count = this.edges.length / 2
    for (let e = 0; e < count; e++) {
      const a = this.edges[2 * e]
      if (!vertices.some(([low, high]) => a >= low && a <= high)) continue
      if (out.length && out[out.length - 1][1] === e) out[out.length - 1][1] = e + 1
      else out.push([e, e + 1])
    }
    return out
  }

  dispose(): void {
    this.with.dispose()
    this.without.dispose()
    this.ghost?.dispose()
    this.fine?.with.dispose()
    this.fine?.without.dispose()
    this.veil.dispose()
    this.material.dispose()
    this.ink.dispose()
    this.bright.dispose()
  }
}
