/** The canvas: renderer, camera, lights. Draws only when something changed. */
import { Color, DirectionalLight, HemisphereLight, PerspectiveCamera, Plane, type Raycaster, Scene, Vector2, Vector3, WebGLRenderer } from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'

export type Draw = (renderer: WebGLRenderer, scene: Scene, camera: PerspectiveCamera) => void

function isSoftware(renderer: WebGLRenderer): boolean {
  const gl = renderer.getContext()
  const info = gl.getExtension('WEBGL_debug_renderer_info')
  const name = info ? String(gl.getParameter(info.UNMASKED_RENDERER_WEBGL)) : ''
  return /swiftshader|llvmpipe|software/i.test(name)
}

/** Height of the film that focal lengths are told for, millimetres. */
const FILM = 24
/** What share of the pixels, along a side, each quality draws; the least is for tests, which seldom look. */
const SHARES: Record<string, number> = { high: 1, low: 0.5, least: 0.2 }

export class Stage {
  readonly scene = new Scene()
  readonly camera = new PerspectiveCamera(26, 1, 0.01, 100)
  controls: OrbitControls
  readonly renderer: WebGLRenderer
  private waiting = 0
  private deep: number | null = null
  private readonly draw: Draw

  constructor(private readonly canvas: HTMLCanvasElement, draw: Draw, private readonly drawn: () => void, private readonly moved: () => void) {
    const quality = new URLSearchParams(window.location.search).get('quality')
    this.renderer = new WebGLRenderer({ canvas, antialias: quality === 'high' })
    // A software renderer is slow by the pixel: a quarter of them keeps posing live.
    const fewer = SHARES[quality ?? ''] ?? (isSoftware(this.renderer) ? SHARES.low! : 1)
    this.renderer.setPixelRatio(fewer < 1 ? fewer : Math.min(window.devicePixelRatio, 2))
    this.draw = draw
    this.scene.background = new Color('#1d1b22')
    this.light()
    this.controls = this.control()
  }

  private control(): OrbitControls {
    const controls = new OrbitControls(this.camera, this.canvas)
    controls.addEventListener('change', () => {
      this.invalidate()
      this.moved()
    })
    return controls
  }

  /** Which way is up: the camera turns about that. */
  setUp(up: Vector3): void {
    if (this.camera.up.equals(up)) return
    // The controls look at what is up only when they are made.
    this.controls.dispose()
    this.camera.up.copy(up)
    this.controls = this.control()
  }

  private light(): void {
    this.scene.add(new HemisphereLight('#f3ece4', '#3c3744', 1.25))
    // The lights stand with the camera, so that no side of a joint is ever dark.
    const key = new DirectionalLight('#fff4e6', 1.9)
    const rim = new DirectionalLight('#9fb6d8', 0.9)
    key.position.set(-0.6, 0.8, 1)
    rim.position.set(1, 0.4, -0.7)
    this.camera.add(key, rim)
    this.scene.add(this.camera)
  }

  resize(width: number, height: number): void {
    this.renderer.setSize(width, height, false)
    this.camera.aspect = width / Math.max(height, 1)
    this.camera.updateProjectionMatrix()
    this.invalidate()
  }

  /** Look through another lens, of so many millimetres; what is faced stays as large. */
  setLens(millimetres: number): void {
    const fov = (2 * Math.atan(FILM / 2 / millimetres) * 180) / Math.PI
    if (Math.abs(fov - this.camera.fov) < 1e-6) return
    const closer = Math.tan((this.camera.fov * Math.PI) / 360) / Math.tan((fov * Math.PI) / 360)
    this.camera.fov = fov
    this.stand(this.controls.target.clone().addScaledVector(this.camera.position.clone().sub(this.controls.target), closer), this.controls.target.clone())
  }

  /** Cut away what is nearer to the eye than a plane that faces it: `deep` beyond what is faced, null = nothing. */
  setCut(deep: number | null): void {
    this.deep = deep
    this.invalidate()
  }
  /** How far in front of the eye the cut is; 0 without one. */
  get cutAt(): number {
    return this.deep === null ? 0 : Math.max(0, this.camera.position.distanceTo(this.controls.target) + this.deep)
  }
  /** Whether a place is cut away. */
  isCut(place: Vector3): boolean {
    return this.deep !== null && place.clone().sub(this.camera.position).dot(this.camera.getWorldDirection(new Vector3())) < this.cutAt
  }
  private cutPlanes(): Plane[] {
    if (this.deep === null) return []
    const forward = this.camera.getWorldDirection(new Vector3())
    return [new Plane().setFromNormalAndCoplanarPoint(forward, this.camera.position.clone().addScaledVector(forward, this.cutAt))]
  }

  /** Stand so that a ball round `target` fills the view, looking from `direction`; below what share of it is `covered`. */
  face(target: Vector3, direction: Vector3, radius: number, covered = 0): void {
    const spread = Math.tan((this.camera.fov * Math.PI) / 360)
    const distance = radius / spread / Math.min(1 - covered, this.camera.aspect)
    const back = direction.clone().normalize()
    const upward = this.camera.up.clone().addScaledVector(back, -this.camera.up.dot(back)).normalize()
    const at = target.clone().addScaledVector(upward, covered * spread * distance)
    this.stand(at.clone().addScaledVector(back, distance), at)
  }

  /** Stand at a place and look at another. */
  stand(at: Vector3, target: Vector3): void {
    const distance = Math.max(at.distanceTo(target), 1e-6)
    this.camera.near = distance / 100
    this.camera.far = distance * 100
    this.camera.updateProjectionMatrix()
    this.controls.target.copy(target)
    this.camera.position.copy(at)
    this.controls.update()
    this.invalidate()
  }

  /** Let a ray go from the eye through the pointer. */
  aim(caster: Raycaster, event: PointerEvent): void {
    const box = this.canvas.getBoundingClientRect()
    caster.setFromCamera(new Vector2(((event.clientX - box.left) / box.width) * 2 - 1, 1 - ((event.clientY - box.top) / box.height) * 2), this.camera)
  }
  /** Where a ray meets the plane through a place that faces the eye. */
  inPlane(caster: Raycaster, from: Vector3): Vector3 {
    const plane = new Plane().setFromNormalAndCoplanarPoint(this.camera.getWorldDirection(new Vector3()), from)
    return caster.ray.intersectPlane(plane, new Vector3()) ?? from
  }

  /** Draw in the next animation frame; many calls make one drawing. */
  invalidate(): void {
    if (this.waiting) return
    this.waiting = requestAnimationFrame(() => {
      this.waiting = 0
      this.renderer.clippingPlanes = this.cutPlanes()
      this.draw(this.renderer, this.scene, this.camera)
      this.drawn()
    })
  }

  dispose(): void {
    cancelAnimationFrame(this.waiting)
    this.controls.dispose()
    this.renderer.dispose()
  }
}
