/** How bad a joint is, as the server says it, in words. */
import type { Schemas } from '@/api/client'

export type Badness = Schemas['BadnessInfo']
export type Measure = Exclude<Badness['measure'], ''>

const words: Record<Measure, string> = {
  volume_loss: 'loses', volume_gain: 'swells', girth_loss: 'pinched by', girth_gain: 'bulges by', area_loss: 'loses',
  area_gain: 'swells', stretch: 'is stretched', fold: 'is folded over', contacts: 'crosses itself at', clipping: 'goes into another part by',
  width_loss: 'narrows by', open_fill: 'opens',
}
const names: Record<Measure, string> = {
  volume_loss: 'Volume lost', volume_gain: 'Volume gained', girth_loss: 'Girth lost', girth_gain: 'Girth gained', area_loss: 'Area lost',
  area_gain: 'Area gained', stretch: 'Stretch', fold: 'Folded edges', contacts: 'Contacts', clipping: 'Clipping depth', width_loss: 'Width lost', open_fill: 'Open fill',
}
export const measureName = (measure: Measure): string => names[measure]

/** A measure with its unit. */
export function measured(measure: Measure, value: number): string {
  if (measure === 'stretch') return `${value.toFixed(2)} ×`
  if (measure === 'contacts') return `${value.toFixed(0)} ‰`
  return `${value.toFixed(measure === 'clipping' ? 2 : 1)} %`
}

/** “loses 12.3 %”. */
export const badnessText = ({ measure, value }: Badness) => (measure ? `${words[measure]} ${measured(measure, value)}` : '')

/** Where the curve of what is worst stands at a step, percent of rest. */
export const heightOf = (step: Pick<Schemas['BendPoint'], 'badness' | 'with'>) =>
  (['girth_loss', 'width_loss'].includes(step.badness.measure) ? step.with.girth : step.with.volume) ?? 100
