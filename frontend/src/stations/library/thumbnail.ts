/** Pictures of characters at rest, drawn once each by one small shared renderer. */
import { BufferAttribute, BufferGeometry, Color, DirectionalLight, HemisphereLight, Mesh, MeshStandardMaterial, PerspectiveCamera, Scene, Vector3, WebGLRenderer } from 'three'
import { api } from '@/api/client'
import { unpackMesh } from '@/api/mesh'
import { CLAY } from '@/view/heat'

let renderer: WebGLRenderer | null = null
const done = new Map<string, Promise<string>>()

/** A picture as an object URL; it is kept for whoever looks next. */
export function thumbnail(id: string): Promise<string> {
  if (!done.has(id)) done.set(id, draw(id).catch(() => ''))
  return done.get(id)!
}

async function draw(id: string): Promise<string> {
  const data = await api.mesh(id)
  const mesh = unpackMesh(data, CLAY)
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(mesh.rest, 3))
  geometry.setAttribute('color', new BufferAttribute(mesh.colours, 3))
  geometry.setIndex(new BufferAttribute(mesh.triangles, 1))
  geometry.computeVertexNormals()
  geometry.computeBoundingSphere()
  const { center, radius } = geometry.boundingSphere!
  const scene = new Scene()
  scene.background = new Color('#1d1b22')
  scene.add(new HemisphereLight('#f3ece4', '#3c3744', 1.3))
  const key = new DirectionalLight('#fff4e6', 1.9)
  key.position.set(-0.6, 0.8, 1)
  scene.add(key, new Mesh(geometry, new MeshStandardMaterial({ vertexColors: true, roughness: 0.78, side: 2 })))
  const camera = new PerspectiveCamera(26, 220 / 260, radius / 50, radius * 50)
  camera.position.copy(center).addScaledVector(new Vector3(0.35, 0.12, 1).normalize(), radius * 4.4)
  camera.lookAt(center)
  renderer ??= new WebGLRenderer({ antialias: true, preserveDrawingBuffer: true })
  renderer.setSize(220, 260, false)
  renderer.render(scene, camera)
  geometry.dispose()
  const drawn = await new Promise<Blob | null>((resolve) => renderer!.domElement.toBlob(resolve, 'image/png'))
  if (!drawn) return ''
  void api.keepPicture(id, drawn).catch(() => undefined)
  return URL.createObjectURL(drawn)
}
