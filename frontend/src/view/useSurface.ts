/** The surface as the file draws it: fetched once the figure stands, so that opening waits for nothing. */
import { watch } from 'vue'
import { api } from '@/api/client'
import { type SurfaceLook, unpackSurface } from '@/api/surface'
import { say, useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import type { Figure } from './figure'

export function useSurface(figure: () => Figure | null, redraw: () => void): void {
  const character = useCharacter()
  const looks = useLook()
  const live = useLive()
  let dressed: Figure | null = null
  let told: { of: Figure; look: SurfaceLook } | null = null

  /** Whether it is wanted: the checker always, the file's colours where a picture gives them. */
  watch([() => live.frame !== null, () => character.mesh, () => looks.shading], async ([stands]) => {
    const now = figure(), of = character.id
    if (!stands || !now || now === dressed || !['colour', 'checker'].includes(looks.shading)) return
    try {
      // Looking at a plain file otherwise and back asks nothing anew.
      if (told?.of !== now) told = { of: now, look: await api.surface(of) }
      const { look } = told
      if (looks.shading !== 'checker' && !look.pictured) return
      const mesh = unpackSurface(await api.surfaceMesh(of))
      if (figure() !== now || dressed === now || character.id !== of) return
      dressed = now
      now.dress(mesh, look, character.figure?.height ?? 1, (name) => api.surfacePicture(of, name), redraw)
      redraw()
    } catch (error) {
      say(error)
    }
  }, { flush: 'post', immediate: true })
}
