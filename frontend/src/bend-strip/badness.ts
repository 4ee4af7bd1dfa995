/** How bad a joint is, as the server says it, in words. */
import type { Schemas } from '@/api/client'

export type Badness = Schemas['BadnessInfo']

const words: Record<Exclude<Badness['measure'], ''>, string> = {
  volume_loss: 'loses', volume_gain: 'swells', girth_loss: 'pinched by', girth_gain: 'bulges by', area_loss: 'loses',
  area_gain: 'swells', contacts: 'crosses itself at', width_loss: 'narrows by', open_fill: 'opens',
}

/** “loses 12.3 %”. */
export const badnessText = ({ measure, value }: Badness) =>
  measure ? `${words[measure]} ${value.toFixed(1)} ${measure === 'contacts' ? '‰' : '%'}` : ''

/** Where the curve of what is worst stands at a step, percent of rest. */
export const heightOf = (step: Pick<Schemas['BendPoint'], 'badness' | 'with'>) =>
  (['girth_loss', 'width_loss'].includes(step.badness.measure) ? step.with.girth : step.with.volume) ?? 100
