/** How the character is looked at: shading, what is shown and hidden, without and with. */
import type { Want } from '@/api/live'
import type { Badness } from '@/bend-strip/badness'
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { useCharacter } from './character'
import { usePose } from './pose'

/** A skin that is seen through the one that is shown. */
export type Ghost = 'rest' | 'start' | 'before' | 'after'
/** What is measured of the skin at each vertex. */
export type SkinField = NonNullable<Want['skin']>
export type Shading = 'colour' | 'clay' | 'checker' | 'wire' | 'volume' | SkinField | 'weights' | 'mixed'
export const SKIN_FIELDS: SkinField[] = ['stretch', 'fold', 'contacts', 'clipping']

export const useLook = defineStore('look', () => {
  const character = useCharacter()
  const posing = usePose()
  const shading = ref<Shading>('colour')
  const wipe = ref(true)
  const holding = ref(false)
  const joints = ref(true)
  /** Names of the parts that are not drawn. */
  const hidden = ref<string[]>([])
  /** Whether the view shows what is picked. */
  const showsRegion = ref(false)
  /** The one remedy that acts, or the group whose remedies do, or null. */
  const alone = ref<string | null>(null)
  /** A remedy whose mask is shown, or null. */
  const mask = ref<string | null>(null)
  /** A remedy whose vertices without a partner on the other side are shown, or null. */
  const lone = ref<string | null>(null)
  /** The camera's focal length, millimetres, as on film 24 mm high. */
  const lens = useLocalStorage('plethos-lens', 52)
  /** Where the view is cut open, 0 = not, 1 = far behind what is faced. */
  const cut = ref(0)
  /** Whether the skin is drawn smoothed by one level of subdivision; brushes meet it as it is. */
  const fine = ref(false)
  const ghost = ref<Ghost | null>(null)
  /** Draws a small picture of what the view shows; null where there is none. */
  const picture = shallowRef<(() => Promise<Blob | null>) | null>(null)
  /** How strongly the ghost of a drawing is seen, 0 to 1. */
  const ghostStrength = useLocalStorage('plethos-ghost', 0.7)
  /** Whether the drawing is shown alone, without any aid. */
  const clean = ref(false)
  /** Whether it is shown what the sculpt in progress has moved. */
  const moved = ref(false)
  /** The region that is not drawn, or all but it. */
  const hides = ref<{ region: string; outside: boolean } | null>(null)
  /** Whether the border vertices that the sculpt has moved are shown. */
  const border = ref(false)
  /** What was worst at each joint that was measured. */
  const worst = ref<Record<string, Badness>>({})
  /** A place that the view is to look at. */
  const place = shallowRef<[number, number, number] | null>(null)

  /** What of the skin is shown at each vertex, or null. */
  const skin = computed(() => SKIN_FIELDS.find((name) => name === shading.value) ?? null)
  const showsWeights = computed(() => shading.value === 'weights' || shading.value === 'mixed')
  /** Whether something is tinted on the skin: what is picked, a mask, what has no partner, a border that moved. */
  const tints = computed(() => showsRegion.value || mask.value !== null || lone.value !== null || border.value || moved.value)
  const showsWithout = computed(() => !character.sculpting && mask.value === null && !showsWeights.value && ((wipe.value && !character.flat) || holding.value))

  function showPlace(at: [number, number, number]): void {
    if (!posing.atRest) posing.toggleRest()
    place.value = [...at]
  }

  /** Have the view look at a place as it is posed. */
  const lookAt = (at: [number, number, number]) => (place.value = [...at])

  function reset(): void {
    hidden.value = []
    alone.value = mask.value = lone.value = null
    border.value = moved.value = fine.value = false
    cut.value = 0
    hides.value = ghost.value = null
    worst.value = {}
    place.value = null
  }

  watch(() => character.state, (now) => {
    const known = (id: string) => now?.remedies.some((r) => r.id === id) || now?.groups.some((g) => g.id === id)
    if (!now?.sculpt?.border_moved) border.value = false
    if (!now?.sculpt) moved.value = false
    if (hides.value && !now?.regions.some((r) => r.name === hides.value!.region)) hides.value = null
    for (const one of [alone, mask, lone]) if (one.value && !known(one.value)) one.value = null
  }, { flush: 'sync' })

  return { picture, shading, wipe, holding, joints, hidden, showsRegion, alone, mask, lone, border, lens, cut, fine, ghost, ghostStrength, clean, moved, hides, worst, place, tints, skin, showsWeights, showsWithout, showPlace, lookAt, reset }
})
