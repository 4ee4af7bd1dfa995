/** Pictures of characters at rest, drawn once each by one small shared renderer. */
import { BufferAttribute, BufferGeometry, Color, DirectionalLight, HemisphereLight, Mesh, MeshStandardMaterial, PerspectiveCamera, Scene, Vector3, WebGLRenderer } from 'three'
import { api, type Schemas } from '@/api/client'
import { unpackMesh } from '@/api/mesh'
import { painted } from '@/drawing/outlines'
import { CLAY } from '@/view/heat'

type DrawingInfo = Schemas['DrawingInfo']

let renderer: WebGLRenderer | null = null
const done = new Map<string, Promise<string>>()

/** A picture as an object URL; it is kept for whoever looks next. */
export function thumbnail(id: string): Promise<string> {
  if (!done.has(id)) done.set(id, draw(id).catch(() => ''))
  return done.get(id)!
}

async function draw(id: string): Promise<string> {
  const [data, figure] = await Promise.all([api.mesh(id), api.figure(id)])
  if (figure.drawing) return keep(id, await drawn(unpackMesh(data, CLAY).rest, figure.drawing))
  const mesh = unpackMesh(data, CLAY)
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(mesh.rest, 3))
  geometry.setAttribute('color', new BufferAttribute(mesh.colours, 3))
  geometry.setIndex(new BufferAttribute(mesh.triangles, 1))
  // A figure whose file has Z up stands in its picture, whether or not it was stood up to be worked on.
  if (figure.lies) geometry.rotateX(-Math.PI / 2)
  geometry.computeVertexNormals()
  geometry.computeBoundingSphere()
  const { center, radius } = geometry.boundingSphere!
  const scene = new Scene()
  scene.background = new Color('#1d1b22')
  scene.add(new HemisphereLight('#f3ece4', '#3c3744', 1.3))
  const key = new DirectionalLight('#fff4e6', 1.9)
  key.position.set(-0.6, 0.8, 1)
  scene.add(key, new Mesh(geometry, new MeshStandardMaterial({ vertexColors: true, roughness: 0.78, side: 2 })))
  const camera = new PerspectiveCamera(26, WIDE / HIGH, radius / 50, radius * 50)
  camera.position.copy(center).addScaledVector(new Vector3(0.35, 0.12, 1).normalize(), radius * 4.4)
  camera.lookAt(center)
  renderer ??= new WebGLRenderer({ antialias: true, preserveDrawingBuffer: true })
  renderer.setSize(WIDE, HIGH, false)
  renderer.render(scene, camera)
  geometry.dispose()
  return keep(id, await picture(renderer.domElement))
}

const WIDE = 220, HIGH = 260
const picture = (canvas: HTMLCanvasElement) => new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, 'image/png'))
function keep(id: string, found: Blob | null): string {
  if (!found) return ''
  void api.keepPicture(id, found).catch(() => undefined)
  return URL.createObjectURL(found)
}

/** A drawing on paper. */
async function drawn(rest: Float32Array, drawing: DrawingInfo): Promise<Blob | null> {
  const canvas = document.createElement('canvas')
  ;[canvas.width, canvas.height] = [2 * WIDE, 2 * HIGH]
  const pen = canvas.getContext('2d')!
  pen.fillStyle = '#d9d5cc'
  pen.fillRect(0, 0, canvas.width, canvas.height)
  const [x, y, w, h] = drawing.view
  const scale = 0.86 * Math.min(canvas.width / w, canvas.height / h)
  pen.translate(canvas.width / 2, canvas.height / 2)
  pen.scale(scale, scale)
  pen.translate(-(x + w / 2), y + h / 2)
  for (const t of painted(drawing.drawn, rest, undefined)) {
    if (t.fill) {
      pen.globalAlpha = t.fillOpacity
      pen.fillStyle = t.fill
      pen.fill(new Path2D(t.inside), t.evenOdd ? 'evenodd' : 'nonzero')
    }
    if (!t.stroke) continue
    pen.globalAlpha = t.stroke.opacity
    pen.strokeStyle = t.stroke.colour
    pen.lineWidth = t.width
    pen.lineJoin = t.stroke.join as CanvasLineJoin
    pen.lineCap = t.stroke.cap as CanvasLineCap
    pen.stroke(new Path2D(t.line))
  }
  return picture(canvas)
}
