/** Lengths as they are told: centimetres of a solid, user units of a drawing. */
import { useCharacter } from './character'

export function useLengths() {
  const character = useCharacter()
  /** How many of what is shown go into one unit of the world. */
  const factor = () => (character.flat ? 1 : 100)
  const unit = () => (character.flat ? 'units' : 'cm')
  const told = (length: number) => (character.flat ? `${length.toFixed(1)} units` : `${(length * 100).toFixed(1)} cm`)
  return { factor, unit, told }
}
