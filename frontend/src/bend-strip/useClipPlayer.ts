/** Playing a clip: newest frame wins, nothing queues; it stops at the end or goes round. */
import { useRafFn } from '@vueuse/core'
import { ref, watch } from 'vue'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

export function useClipPlayer() {
  const character = useCharacter()
  const posing = usePose()
  const loop = ref(true)
  const speed = ref(1)
  const { pause, resume, isActive: playing } = useRafFn(({ delta }) => {
    if (!posing.clip || character.sculpting) return pause()
    const time = posing.clip.time + (delta / 1000) * speed.value
    if (time <= posing.clipLength) posing.seek(time)
    else if (loop.value) posing.seek(posing.clipLength > 0 ? time % posing.clipLength : 0)
    else {
      posing.seek(posing.clipLength)
      pause()
    }
  }, { immediate: false })

  function toggle(): void {
    if (playing.value) return pause()
    if (character.sculpting) return
    if (posing.clip && posing.clip.time >= posing.clipLength) posing.seek(0)
    resume()
  }
  watch([() => posing.clip?.name, () => character.sculpting], () => pause())
  return { loop, speed, playing, toggle, pause }
}
