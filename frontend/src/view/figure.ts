/** The character as two skins over one set of triangles: with remedies, and without. */
import {
  BufferAttribute, DoubleSide, LineBasicMaterial, MeshStandardMaterial, ShaderMaterial, type Scene, Vector3,
} from 'three'
import type { Mesh, Subdivision } from '@/api/mesh'
import { BEFORE, type Clearing, fade, FAINT } from './clearing'
import { SKIN_FIELDS, type SkinField } from '@/workbench/look'
import { heatColours, plainClay, skinColours, tintColours, weightColours } from './heat'
import { Rim, Skin, wireEdges } from './skin'
import { type Hook, Surface } from './surface'
import type { SurfaceLook, SurfaceMesh } from '@/api/surface'

export type Look = 'colour' | 'clay' | 'checker' | 'volume' | SkinField | 'weights' | 'mixed'
/** What differs without remedies. */
const TWO_SIDED: Look[] = ['volume', ...SKIN_FIELDS]

const isSkin = (look: Look): look is SkinField => (SKIN_FIELDS as Look[]).includes(look)

export class Figure {
  readonly with: Skin
  readonly without: Skin
  private readonly material = new MeshStandardMaterial({
    vertexColors: true, roughness: 0.78, metalness: 0, side: DoubleSide,
    polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1,
  })
  /** What has faded, over all that is solid. */
  private readonly mist = new MeshStandardMaterial({
    vertexColors: true, roughness: 0.78, metalness: 0, side: DoubleSide, transparent: true, opacity: FAINT, depthWrite: false,
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
    this.material.onBeforeCompile = this.fading
    this.mist.onBeforeCompile = (shader) => {
      Object.assign(shader.uniforms, this.clearing)
      fade(shader, true)
    }
    const edges = wireEdges(rest, triangles)
    this.edges = edges
    this.with = new Skin(triangles, rest.length / 3, edges, this.material, this.ink, this.bright, this.mist)
    this.without = new Skin(triangles, rest.length / 3, edges, this.material, this.ink, this.bright, this.mist)
    for (const skin of [this.with, this.without]) {
      skin.move(rest)
      skin.geometry.setAttribute('apart', this.apart)
      skin.geometry.setAttribute('gone', this.gone)
      scene.add(skin.mesh, skin.mist!, skin.lines, skin.rim)
    }
  }

  private readonly fading: Hook = (shader) => {
    Object.assign(shader.uniforms, this.clearing)
    fade(shader, false)
  }

  private surface: Surface | null = null
  /** Draw the surface as its file does, from now on, where that is asked for. */
  dress(mesh: SurfaceMesh, look: SurfaceLook, height: number, picture: (name: string) => string, arrived: () => void): void {
    this.surface?.dispose()
    this.surface = new Surface(mesh, look, this.drawn.rest, height, this.scene, this.fading, picture, arrived)
    this.surface.tint(this.region)
    this.painted = null
  }

  /** Say which vertices belong to another limb than the one that is looked at. */
  setApart(write: (out: Float32Array) => void): void {
    write(this.apart.array as Float32Array)
    this.apart.needsUpdate = true
    this.clothe()
  }

  /** Leave vertices out whose share is over a half, in the view and for the brush; null = none. */
  hide(shares: Float32Array | null): void {
    const out = this.gone.array as Float32Array
    if (shares) out.set(shares)
    else out.fill(0)
    this.gone.needsUpdate = true
    this.clothe()
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
  private clothe(): void {
    if (!this.surface?.shown) return
    this.surface.follow('with', this.with)
    this.surface.follow('without', this.without)
  }
  /** Bring the smoothed skins, and the surface of the file, to where the others are now. */
  follow(): void {
    this.clothe()
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
    const dressed = !fine && this.surface?.shown
    this.surface?.show(dressed ? which : null)
    this.with.mesh.visible = which === 'with' && !fine && !dressed
    this.without.mesh.visible = which === 'without' && !fine && !dressed
    if (this.fine) {
      this.fine.with.mesh.visible = which === 'with' && fine !== null
      this.fine.without.mesh.visible = which === 'without' && fine !== null
    }
    for (const each of ['with', 'without'] as const) this[each].mist!.visible = which === each && this.clearing.clearReach.value > 0
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
    this.surface?.tint(region)
  }

  /** Colour both skins: by the file's own colours, plain clay, the weights of one joint or of all, or its volume heat. */
  paint(look: Look, field?: Float32Array, fieldWithout?: Float32Array): void {
    this.surface?.wear(look === 'checker' ? 'checker' : look === 'colour' && this.surface.pictured ? 'pictures' : null)
    const write = (skin: Skin, own: Float32Array | undefined) =>
      skin.colour((out) => {
        if (look === 'weights' && own) weightColours(own, out)
        else if (look === 'mixed' && own) out.set(own)
        else if (look === 'volume' && own) heatColours(own, out)
        else if (isSkin(look) && own) skinColours(look, own, out)
        else if (look === 'colour') out.set(this.drawn.colours)
        else plainClay(out)
        if (this.region) tintColours(this.region, out)
      })
    const still = look === 'colour' || look === 'clay' || look === 'checker'
    if (!still || look !== this.painted) {
      write(this.with, field)
      // Weights are the same on both sides of the wipe; what is measured is not.
      const measured = TWO_SIDED.includes(look)
      if (!measured || fieldWithout) write(this.without, measured ? fieldWithout : field)
    }
    this.painted = look
  }

  /** Leave parts out: the ranges of triangles that stay, or null for all, and which parts by their numbers. */
  keep(ranges: [number, number][] | null, hidden: (part: number) => boolean): void {
    this.surface?.leaveOut(hidden)
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
    this.surface?.dispose()
    this.fine?.with.dispose()
    this.fine?.without.dispose()
    this.veil.dispose()
    this.material.dispose()
    this.mist.dispose()
    this.ink.dispose()
    this.bright.dispose()
  }
}
