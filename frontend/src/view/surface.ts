/** The surface as its file draws it, over the skins of a figure: pictures, materials, vertex colours; or a checker. */
import {
  BufferAttribute, BufferGeometry, ClampToEdgeWrapping, Color, DoubleSide, type Material, Mesh as Drawn, MeshStandardMaterial, MirroredRepeatWrapping,
  RepeatWrapping, type Scene, SRGBColorSpace, type Texture, TextureLoader, Vector2, type WebGLProgramParametersWithUniforms,
} from 'three'
import type { SurfaceLook, SurfaceMesh } from '@/api/surface'
import { checkerPlaces } from './checker'
import { CLAY, tintColours } from './heat'
import type { Skin } from './skin'

const WRAPS = { repeat: RepeatWrapping, mirror: MirroredRepeatWrapping, clamp: ClampToEdgeWrapping }
type Told = NonNullable<SurfaceLook['materials'][number]['base']>
/** What a shader is changed by before it is compiled. */
export type Hook = (shader: WebGLProgramParametersWithUniforms) => void

/** Squares in place of a colour. */
function checkered(shader: WebGLProgramParametersWithUniforms): void {
  shader.vertexShader = `attribute vec3 square; varying vec3 vSquare;\n${shader.vertexShader.replace('#include <begin_vertex>', '#include <begin_vertex>\nvSquare = square;')}`
  shader.fragmentShader = `varying vec3 vSquare;\n${shader.fragmentShader.replace('#include <color_fragment>', `#include <color_fragment>
    vec3 at_ = floor(vSquare);
    diffuseColor.rgb *= mod(at_.x + at_.y + at_.z, 2.0) < 0.5 ? vec3(0.16, 0.15, 0.19) : vec3(0.86, 0.82, 0.76);`)}`
}

export class Surface {
  /** Whether it is drawn in place of the plain skins. */
  shown: 'pictures' | 'checker' | null = null
  private readonly meshes: Record<'with' | 'without', Drawn>
  private readonly dressed: Material[]
  private readonly squares: Material
  private readonly own: Float32Array
  private readonly textures = new Map<string, Texture>()
  private region: Float32Array | null = null
  private hidden: (part: number) => boolean = () => false

  constructor(
    private readonly mesh: SurfaceMesh, private readonly look: SurfaceLook, rest: Float32Array, height: number, private readonly scene: Scene,
    hook: Hook, picture: (name: string) => string, private readonly arrived: () => void,
  ) {
    const count = mesh.of.length
    const coordinates = new BufferAttribute(mesh.coordinates.map((x) => (Number.isFinite(x) ? x : 0)), 2)
    const squares = new BufferAttribute(checkerPlaces(mesh, rest, height), 3)
    this.own = new Float32Array(3 * count)
    for (let v = 0; v < count; v++) for (let k = 0; k < 3; k++) this.own[3 * v + k] = mesh.colours[4 * v + k] / 255
    const make = () => {
      const geometry = new BufferGeometry()
      for (const name of ['position', 'normal', 'color']) geometry.setAttribute(name, new BufferAttribute(new Float32Array(3 * count), 3))
      for (const name of ['apart', 'gone']) geometry.setAttribute(name, new BufferAttribute(new Float32Array(count), 1))
      geometry.setAttribute('uv', coordinates)
      geometry.setAttribute('square', squares)
      geometry.setIndex(new BufferAttribute(mesh.triangles, 1))
      const drawn = new Drawn(geometry)
      drawn.frustumCulled = drawn.visible = false
      scene.add(drawn)
      return drawn
    }
    this.meshes = { with: make(), without: make() }
    const plain = { vertexColors: true, roughness: 0.78, metalness: 0, side: DoubleSide, polygonOffset: true, polygonOffsetFactor: 1, polygonOffsetUnits: 1 }
    const load = (told: Told | null, colour: boolean) => (told ? this.texture(told, picture, colour) : null)
    this.dressed = look.materials.map((m) => {
      const material = new MeshStandardMaterial({
        ...plain, color: new Color(m.colour[0], m.colour[1], m.colour[2]), opacity: m.blended ? m.colour[3] : 1, transparent: m.blended,
        alphaTest: m.cutoff ?? (m.blended ? 0.02 : 0), map: load(m.base, true), normalMap: load(m.normal, false),
      })
      // In a file the picture's first row is its upper edge: a bump that faces up has to stay one.
      if (m.normal) material.normalScale = new Vector2(1, -1)
      material.onBeforeCompile = hook
      return material
    })
    const clay = new MeshStandardMaterial({ ...plain, color: CLAY })
    clay.onBeforeCompile = hook
    this.dressed.push(clay)
    this.squares = new MeshStandardMaterial(plain)
    this.squares.onBeforeCompile = (shader) => (hook(shader), checkered(shader))
    this.group()
    this.tint(null)
  }

  private texture(told: Told, picture: (name: string) => string, colour: boolean): Texture {
    const key = `${told.picture} ${told.wrap} ${colour}`
    const known = this.textures.get(key)
    if (known) return known
    const texture = new TextureLoader().load(picture(told.picture), this.arrived, undefined, this.arrived)
    texture.flipY = false
    texture.anisotropy = 4
    ;[texture.wrapS, texture.wrapT] = told.wrap.map((w) => WRAPS[w])
    if (colour) texture.colorSpace = SRGBColorSpace
    this.textures.set(key, texture)
    return texture
  }

  /** Which material each triangle has, without the parts that are left out. */
  private group(): void {
    for (const drawn of Object.values(this.meshes)) {
      const { geometry } = drawn
      geometry.clearGroups()
      for (const run of this.look.runs) {
        if (!this.hidden(run.part)) geometry.addGroup(3 * run.start, 3 * run.count, this.shown === 'checker' ? 0 : run.material < 0 ? this.dressed.length - 1 : run.material)
      }
      drawn.material = this.shown === 'checker' ? [this.squares] : this.dressed
    }
  }

  /** Whether the file has a picture for any of it. */
  get pictured(): boolean {
    return this.look.pictured
  }

  wear(what: 'pictures' | 'checker' | null): void {
    if (what === this.shown) return
    this.shown = what
    this.group()
    this.tint(this.region)
  }
  leaveOut(hidden: (part: number) => boolean): void {
    this.hidden = hidden
    this.group()
  }
  show(which: 'with' | 'without' | null): void {
    this.meshes.with.visible = which === 'with'
    this.meshes.without.visible = which === 'without'
  }

  /** Bring it to where a skin is now, and to what is told of the skin vertex by vertex. */
  follow(which: 'with' | 'without', skin: Skin): void {
    const to = this.meshes[which].geometry
    for (const name of ['position', 'normal', 'apart', 'gone']) {
      const from = skin.geometry.getAttribute(name) as BufferAttribute, into = to.getAttribute(name) as BufferAttribute
      const a = from.array, b = into.array as Float32Array, { of } = this.mesh
      if (into.itemSize === 1) for (let v = 0; v < of.length; v++) b[v] = a[of[v]]
      else {
        for (let v = 0; v < of.length; v++) {
          const f = 3 * of[v]
          b[3 * v] = a[f]
          b[3 * v + 1] = a[f + 1]
          b[3 * v + 2] = a[f + 2]
        }
      }
      into.needsUpdate = true
    }
  }

  /** Show what is picked `(V,)` over it; null = nothing. */
  tint(region: Float32Array | null): void {
    this.region = region
    const shares = region && Float32Array.from(this.mesh.of, (v) => region[v])
    for (const drawn of Object.values(this.meshes)) {
      const colour = drawn.geometry.getAttribute('color') as BufferAttribute
      if (this.shown === 'checker') (colour.array as Float32Array).fill(1)
      else (colour.array as Float32Array).set(this.own)
      if (shares) tintColours(shares, colour.array as Float32Array)
      colour.needsUpdate = true
    }
  }

  dispose(): void {
    for (const drawn of Object.values(this.meshes)) {
      this.scene.remove(drawn)
      drawn.geometry.dispose()
    }
    for (const material of [...this.dressed, this.squares]) material.dispose()
    for (const texture of this.textures.values()) texture.dispose()
  }
}
