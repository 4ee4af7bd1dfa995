/** Joints and bend arcs, projected for the overlay that is drawn over the skin. */
import { type PerspectiveCamera, Quaternion, Vector3 } from 'three'
import type { Axis, FigureInfo } from '@/api/client'

export interface Dot { name: string; x: number; y: number; seen: boolean }
export interface Bone { x1: number; y1: number; x2: number; y2: number; key: string }
export interface Arc { axis: Axis; path: string; knobX: number; knobY: number; perDegreeX: number; perDegreeY: number }

export interface View { camera: PerspectiveCamera; width: number; height: number }

export function project(place: Vector3, view: View): { x: number; y: number; seen: boolean } {
  const p = place.clone().project(view.camera)
  return { x: ((p.x + 1) / 2) * view.width, y: ((1 - p.y) / 2) * view.height, seen: p.z < 1 }
}

export function jointPlace(frames: Float32Array, index: number): Vector3 {
  return new Vector3(frames[7 * index], frames[7 * index + 1], frames[7 * index + 2])
}

export function jointDots(figure: FigureInfo, frames: Float32Array, view: View): { dots: Dot[]; bones: Bone[] } {
  const dots = figure.joints.map((j) => ({ name: j.name, ...project(jointPlace(frames, j.index), view) }))
  const at = new Map(figure.joints.map((j, k) => [j.index, dots[k]]))
  const bones: Bone[] = []
  figure.joints.forEach((j, k) => {
    const up = at.get(j.parent)
    if (up?.seen && dots[k].seen) bones.push({ x1: up.x, y1: up.y, x2: dots[k].x, y2: dots[k].y, key: j.name })
  })
  return { dots, bones }
}

/** An arc about one of the joint's axes, with a knob where the joint stands and how the knob moves a degree on. */
export function bendArc(frames: Float32Array, index: number, parentTurn: Quaternion, axis: Axis, radius: number, degrees: number, view: View): Arc {
  const centre = jointPlace(frames, index)
  const about = new Vector3(...axis).applyQuaternion(parentTurn).normalize()
  const start = new Vector3(Math.abs(about.y) < 0.9 ? 0 : 1, Math.abs(about.y) < 0.9 ? 1 : 0, 0)
  start.addScaledVector(about, -start.dot(about)).normalize()
  const at = (deg: number) => {
    const turned = start.clone().applyAxisAngle(about, (deg * Math.PI) / 180)
    return project(centre.clone().addScaledVector(turned, radius), view)
  }
  const points = []
  for (let deg = 0; deg <= 360; deg += 6) {
    const p = at(deg)
    points.push(`${p.x.toFixed(1)} ${p.y.toFixed(1)}`)
  }
  const knob = at(degrees), ahead = at(degrees + 1)
  return { axis, path: `M${points.join('L')}`, knobX: knob.x, knobY: knob.y, perDegreeX: ahead.x - knob.x, perDegreeY: ahead.y - knob.y }
}
