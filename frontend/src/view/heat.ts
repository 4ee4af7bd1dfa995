/** Volume heat: apricot where volume is lost, periwinkle where it is gained, clay where it is kept. */
import { Color } from 'three'
import type { SkinField } from '@/workbench/look'

export const CLAY = new Color('#b3a696')
const LOSS = new Color('#ff6a3c')
const GAIN = new Color('#5f93ff')
const FULL = 0.4 // this share of the volume lost or gained takes the full colour
const QUIET = 0.03

/** Colours `(V, 3)` of a heat field `(V,)`, written into `out`. */
export function heatColours(heat: Float32Array, out: Float32Array): void {
  for (let v = 0; v < heat.length; v++) {
    const h = heat[v]
    const share = Math.min(Math.max((Math.abs(h) - QUIET) / FULL, 0), 1)
    const to = h < 0 ? LOSS : GAIN
    out[3 * v] = CLAY.r + share * (to.r - CLAY.r)
    out[3 * v + 1] = CLAY.g + share * (to.g - CLAY.g)
    out[3 * v + 2] = CLAY.b + share * (to.b - CLAY.b)
  }
}

const MUCH = new Color('#ffd166'), LITTLE = new Color('#5f93ff')
/** What takes the full colour of each field of the skin, beyond what nobody sees. */
const SKIN_FULL: Record<SkinField, number> = { stretch: 0.5, fold: 1, contacts: 1, clipping: 1.5 }

/** Colours `(V, 3)` of a field of the skin `(V,)`, written into `out`: yellow for what is too much, blue for squeezed. */
export function skinColours(name: SkinField, field: Float32Array, out: Float32Array): void {
  const full = SKIN_FULL[name], quiet = name === 'stretch' ? 0.1 : 0
  for (let v = 0; v < field.length; v++) {
    // Half as long counts as much as twice as long.
    const off = field[v] < 0 ? 1 / Math.max(field[v] + 1, 1e-3) - 1 : field[v]
    const share = Math.min(Math.max((off - quiet) / full, 0), 1)
    const to = field[v] < 0 ? LITTLE : MUCH
    out[3 * v] = CLAY.r + share * (to.r - CLAY.r)
    out[3 * v + 1] = CLAY.g + share * (to.g - CLAY.g)
    out[3 * v + 2] = CLAY.b + share * (to.b - CLAY.b)
  }
}

/** Cividis at nine even steps: perceptually even, and the same for colour-blind eyes. Its darkest end is left out. */
const EVEN = ['#00224e', '#123570', '#3b496c', '#575d6d', '#707173', '#8a8678', '#a59c74', '#c3b369', '#fee838'].map((c) => new Color(c))

const DARKEST = 0.14 // below it the skin would sink into the ground of the view

/** The colour of a weight from 0 to 1. */
export function weightColour(weight: number, out = new Color()): Color {
  const at = (DARKEST + (1 - DARKEST) * Math.min(Math.max(weight, 0), 1)) * (EVEN.length - 1)
  const low = Math.min(Math.floor(at), EVEN.length - 2)
  return out.copy(EVEN[low]).lerp(EVEN[low + 1], at - low)
}

/** Colours `(V, 3)` of the weights of one joint `(V,)`, written into `out`. */
export function weightColours(field: Float32Array, out: Float32Array): void {
  const colour = new Color()
  for (let v = 0; v < field.length; v++) weightColour(field[v], colour).toArray(out, 3 * v)
}

/** Clay all over, written into `out` `(V, 3)`. */
export function plainClay(out: Float32Array): void {
  for (let i = 0; i < out.length; i += 3) {
    out[i] = CLAY.r
    out[i + 1] = CLAY.g
    out[i + 2] = CLAY.b
  }
}

const PICK = new Color('#e07bc4')

/** Mix the colour of what is picked `(V,)` into colours `(V, 3)`, in place. */
export function tintColours(region: Float32Array, out: Float32Array): void {
  for (let v = 0; v < region.length; v++) {
    const share = 0.62 * region[v]
    out[3 * v] += share * (PICK.r - out[3 * v])
    out[3 * v + 1] += share * (PICK.g - out[3 * v + 1])
    out[3 * v + 2] += share * (PICK.b - out[3 * v + 2])
  }
}
