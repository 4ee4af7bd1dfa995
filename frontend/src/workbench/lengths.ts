/** Lengths as they are told: centimetres of a solid, user units of a drawing. */
import { useCharacter } from './character'

export function useLengths() {
  const character = useCharacter()
  /** How many of what is shown go into one unit of the world. */
  const factor = () => (character.flat ? 1 : 100)
  const unit = () => (character.flat ? 'units' : 'cm')
  const told = (length: number) => (character.flat ? `${length.toFixed(1)} units` : `${(length * 100).toFixed(1)} cm`)
  /** A length that is small beside the character: millimetres of a solid. */
  const small = (length: number) =>
    character.flat ? `${length.toFixed(length < 0.1 ? 3 : 1)} units`
      : length < 1e-6 ? 'under 0.001 mm' : `${(length * 1000).toFixed(length < 1e-4 ? 3 : length < 1e-3 ? 2 : 1)} mm`
  /** A first length for something that moves: one that is seen. */
  const step = () => (character.flat ? Number((0.02 * (character.figure?.height ?? 100)).toPrecision(1)) : 0.02)
  return { factor, unit, told, small, step }
}
