/** How the character is looked at: shading, what is shown and hidden, without and with. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { useCharacter } from './character'
import { usePose } from './pose'

export type Shading = 'colour' | 'clay' | 'wire' | 'volume' | 'weights' | 'mixed'

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
  /** Whether the border vertices that the sculpt has moved are shown. */
  const border = ref(false)
  /** The worst volume that was measured at each joint. */
  const worst = ref<Record<string, number>>({})
  /** A place at rest that the view is to look at. */
  const place = shallowRef<[number, number, number] | null>(null)

  const showsWeights = computed(() => shading.value === 'weights' || shading.value === 'mixed')
  /** Whether something is tinted on the skin: what is picked, a mask, what has no partner, a border that moved. */
  const tints = computed(() => showsRegion.value || mask.value !== null || lone.value !== null || border.value)
  const showsWithout = computed(() => !character.sculpting && mask.value === null && !showsWeights.value && (wipe.value || holding.value))

  function showPlace(at: [number, number, number]): void {
    if (!posing.atRest) posing.toggleRest()
    place.value = [...at]
  }

  function reset(): void {
    hidden.value = []
    alone.value = mask.value = lone.value = null
    border.value = false
    worst.value = {}
    place.value = null
  }

  watch(() => character.state, (now) => {
    const known = (id: string) => now?.remedies.some((r) => r.id === id) || now?.groups.some((g) => g.id === id)
    if (!now?.sculpt?.border_moved) border.value = false
    for (const one of [alone, mask, lone]) if (one.value && !known(one.value)) one.value = null
  }, { flush: 'sync' })

  return { shading, wipe, holding, joints, hidden, showsRegion, alone, mask, lone, border, worst, place, tints, showsWeights, showsWithout, showPlace, reset }
})
