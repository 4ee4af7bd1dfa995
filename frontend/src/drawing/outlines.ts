/** A drawing's curves as SVG path data: y up in the world, y down on the page. */
import type { Schemas } from '@/api/client'

export type Drawn = Schemas['DrawnInfo']
type Curve = Schemas['CurveInfo']
type Points = Float32Array

const at = (p: Points, v: number) => `${p[3 * v]} ${-p[3 * v + 1]}`

/** A curve's edges: the first vertices of the control points that each joins. */
export function edges(curve: Curve): [number, number][] {
  return Array.from({ length: curve.closed ? curve.count : curve.count - 1 }, (_, k) => [curve.first + 3 * k, curve.first + 3 * ((k + 1) % curve.count)])
}
const piece = (p: Points, a: number, b: number) => `C${at(p, a + 2)} ${at(p, b + 1)} ${at(p, b)}`

/** The path of a thing's inside, and of its whole line where nothing of that is left out. */
export function pathOf(drawn: Drawn, points: Points): string {
  return drawn.curves.map((c) => `M${at(points, c.first)}${edges(c).map(([a, b]) => piece(points, a, b)).join('')}${c.closed ? 'Z' : ''}`).join('')
}

/** The path of a line without the edges that have no stroke. */
export function lineOf(drawn: Drawn, points: Points): string {
  const hidden = new Set(drawn.stroke?.hidden)
  return drawn.curves.map((c) => {
    let pen = false
    return edges(c).map(([a, b]) => {
      if (hidden.has(a)) {
        pen = false
        return ''
      }
      const start = pen ? '' : `M${at(points, a)}`
      pen = true
      return start + piece(points, a, b)
    }).join('')
  }).join('')
}

export interface Band { d: string; width: number }
const CUTS = 6
/** A line whose width goes from point to point, as short pieces of one width each. */
export function bandsOf(drawn: Drawn, points: Points, widths: Float32Array): Band[] {
  const hidden = new Set(drawn.stroke?.hidden)
  const out: Band[] = []
  for (const curve of drawn.curves) {
    for (const [a, b] of edges(curve)) {
      if (hidden.has(a)) continue
      const place = (t: number) => {
        const s = 1 - t, [p, q, r, u] = [s * s * s, 3 * t * s * s, 3 * t * t * s, t * t * t]
        const along = (k: number) => p * points[3 * a + k] + q * points[3 * (a + 2) + k] + r * points[3 * (b + 1) + k] + u * points[3 * b + k]
        return `${along(0)} ${-along(1)}`
      }
      for (let k = 0; k < CUTS; k++) {
        const t = k / CUTS, w = (t + 0.5 / CUTS)
        out.push({ d: `M${place(t)}L${place(t + 1 / CUTS)}`, width: (1 - w) * widths[a / 3] + w * widths[b / 3] })
      }
    }
  }
  return out
}

export interface Painted {
  key: string
  part: string
  inside: string
  fill: string | null
  fillOpacity: number
  evenOdd: boolean
  line: string
  stroke: Drawn['stroke']
  width: number
  /** The line in pieces where its width is not the same all along. */
  bands: Band[] | null
}

/** What is painted, from back to front. */
export function painted(things: Drawn[], points: Points, widths: Float32Array | undefined): Painted[] {
  return things.map((d, n) => {
    const inside = pathOf(d, points)
    const controls = d.curves.flatMap((c) => Array.from({ length: c.count }, (_, k) => c.first / 3 + k))
    const own = controls.map((k) => widths?.[k] ?? d.stroke?.width ?? 1)
    const same = Math.max(...own) - Math.min(...own) < 1e-4 * Math.max(...own, 1e-9)
    return {
      key: `${n} ${d.name}`, part: d.part, inside, fill: d.fill, fillOpacity: d.fill_opacity, evenOdd: d.even_odd,
      line: d.stroke?.hidden.length ? lineOf(d, points) : inside, stroke: d.stroke, width: own[0] ?? 1,
      bands: d.stroke && !same && widths ? bandsOf(d, points, widths) : null,
    }
  })
}

/** The first vertices of all control points of some things. */
export const controlsOf = (things: Drawn[]) => things.flatMap((d) => d.curves.flatMap((c) => Array.from({ length: c.count }, (_, k) => c.first + 3 * k)))
