/** The joint that is looked at closely is hidden by nothing of another limb. */
import type { Vector3 } from 'three'
import { watch } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { usePose } from '@/workbench/pose'
import { useTools } from '@/workbench/tools'
import type { Figure } from './figure'
import { jointPlace } from './joints'
import { apartFrom, boneOwners } from './limbs'

export function useClearing(figure: () => Figure | null, isSmall: (joint: number) => boolean) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const tools = useTools()
  /** Whose bones the vertices follow, and the joint that they are told apart for: worked out when first looked at closely. */
  let owners: Int32Array | null = null
  let apartOf: number | null = null
  watch(() => character.figure, () => (owners = apartOf = null))

  function tellApart(joint: number): void {
    const { figure: known, mesh } = character
    if (!figure() || !known || !mesh || apartOf === joint) return
    apartOf = joint
    owners ??= boneOwners(known, mesh.rest)
    figure()!.setApart((out) => apartFrom(known, owners!, joint, out))
  }

  function clearing(): { at: Vector3; reach: number } | null {
    const info = posing.jointInfo, frame = live.frame
    if (!figure() || !info || !frame || !character.figure || tools.placing || tools.making || isSmall(info.index)) return null
    tellApart(info.index)
    return { at: jointPlace(frame.joints, info.index), reach: 0.11 * character.figure.height }
  }

  /** Of another figure nothing is told apart yet. */
  const forget = () => (apartOf = null)
  return { clearing, forget }
}
