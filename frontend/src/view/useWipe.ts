/** The wipe: where the view is split into without remedies and with them. */
import { computed, ref, type Ref } from 'vue'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { jointPlace, project } from './joints'
import type { Stage } from './stage'

export function useWipe(host: Ref<HTMLElement | undefined>, stage: () => Stage | null) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const looks = useLook()
  /** As a share of the width. */
  const at = ref(0.5)
  const dragging = ref(false)
  const split = computed(() => Boolean(looks.showsWithout && looks.wipe && !looks.holding && (character.state?.remedies.length || live.trial)))
  const set = (share: number) => (at.value = Math.max(0.02, Math.min(0.98, share)))

  function grab(event: PointerEvent): void {
    dragging.value = true
    ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent): void {
    if (!dragging.value) return
    const box = host.value!.getBoundingClientRect()
    set((event.clientX - box.left) / box.width)
  }
  const drop = () => (dragging.value = false)
  const nudge = (by: number) => set(at.value + by)

  /** Stand at the chosen joint, so that it shows something. */
  function centre(): void {
    const info = posing.jointInfo, frame = live.frame, now = stage()
    if (!now || !info || !frame) return
    now.camera.updateMatrixWorld()
    const seen = project(jointPlace(frame.joints, info.index), { camera: now.camera, width: 1, height: 1 })
    at.value = Math.max(0.1, Math.min(0.9, seen.x))
  }
  return { at, split, grab, drag, drop, nudge, centre }
}
