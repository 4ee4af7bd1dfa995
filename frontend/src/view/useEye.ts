/** How the eye looks at the figure: through which lens, cut where, smoothed or not, and what is left out. */
import { watch } from 'vue'
import { api } from '@/api/client'
import { Subdivision } from '@/api/mesh'
import { say, useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'
import type { Figure } from './figure'
import type { Stage } from './stage'

/** How far before and behind what is faced the cut goes, as a share of the figure's height. */
const CUT = 0.22

export function useEye(scene: () => { stage: Stage; figure: Figure } | null): void {
  const character = useCharacter()
  const looks = useLook()
  const redraw = () => scene()?.stage.invalidate()

  watch(() => looks.lens, (mm) => scene()?.stage.setLens(mm))
  watch(() => looks.cut, (share) => scene()?.stage.setCut(share > 0 ? (2 * share - 1) * CUT * (character.figure?.height ?? 1) : null))

  let subdivision: { of: string; by: Subdivision } | null = null
  watch([() => looks.fine, () => character.mesh], async () => {
    if (!looks.fine) {
      scene()?.figure.smooth(null)
      return redraw()
    }
    const of = character.id
    try {
      if (subdivision?.of !== of) subdivision = { of, by: new Subdivision(await api.subdivision(of)) }
    } catch (error) {
      looks.fine = false
      return say(error)
    }
    if (looks.fine && of === character.id) scene()?.figure.smooth(subdivision.by)
    redraw()
  }, { flush: 'post' })

  watch([() => looks.hides, () => character.state?.regions], async () => {
    const { hides } = looks
    const shares = hides && (await api.regionShares(character.id, hides.region).catch(() => null))
    scene()?.figure.hide(shares ? (hides.outside ? shares.map((s) => 1 - s) : shares) : null)
    redraw()
  })
}
