/** The curves of the bend strip: a coarse drawing at once, then a fine one; the newest request wins. */
import { useDebounceFn } from '@vueuse/core'
import { onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { api, type BendPoint } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'

export function useBendCurves(low: Ref<number>, high: Ref<number>) {
  const character = useCharacter()
  const posing = usePose()
  const looks = useLook()
  const live = useLive()
  const points = shallowRef<BendPoint[]>([])
  const note = ref('')
  const refining = ref(false)
  let running: AbortController | null = null

  async function load(): Promise<void> {
    running?.abort()
    if (!posing.chosen) {
      points.value = []
      note.value = 'There is no joint to bend yet.'
    }
    if (!character.state || !posing.chosen || !posing.jointInfo) return
    const mine = (running = new AbortController())
    const { id } = character
    const { chosen, axis, pose } = posing
    const { revision } = character.state
    refining.value = true
    try {
      for (const count of [13, 61]) {
        const angles = Array.from({ length: count }, (_, k) => low.value + ((high.value - low.value) * k) / (count - 1))
        const found = await api.bend(id, revision, chosen, axis, angles, pose, live.trial, mine.signal)
        if (mine.signal.aborted) return
        points.value = found
        note.value = found.length ? '' : `Turning ${plainName(chosen).toLowerCase()} bends no ${character.flat ? 'outline' : 'skin'}, so there is nothing to measure.`
        if (!found.length) return
        const bad = (found.find((p) => p.worst) ?? found[0]).badness
        if (bad.measure) looks.worst = { ...looks.worst, [chosen]: bad }
      }
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') return
      points.value = []
      note.value = error instanceof Error ? error.message : 'The curves could not be measured.'
    } finally {
      if (running === mine) refining.value = false
    }
  }

  // Bending the chosen joint only moves the playhead; any other joint of the pose changes the curves.
  const others = () => JSON.stringify([Object.entries(posing.joints).filter(([name]) => name !== posing.chosen), posing.placed, posing.shapes, posing.dials])
  const soon = useDebounceFn(load, 60)
  watch([() => character.state?.revision, () => posing.chosen, () => posing.axis, () => live.trial, low, high, others], soon, { immediate: true })
  onBeforeUnmount(() => running?.abort())
  return { points, note, refining }
}
