/** Where one left off with each character: station, pose, joint and camera. Kept by this browser, for nobody else. */
import { useDebounceFn, useEventListener } from '@vueuse/core'
import { defineStore } from 'pinia'
import { ref, shallowRef, watch } from 'vue'
import type { Axis, Pose } from '@/api/client'
import { useCharacter } from './character'
import { usePose } from './pose'

export interface Camera { at: [number, number, number]; target: [number, number, number] }
interface Left { station: string; joints: NonNullable<Pose['joints']>; shapes?: Record<string, number>; dials: Record<string, number>; chosen: string; axis: Axis; camera: Camera | null }

const MOST = 40
const KEY = 'plethos.left'

function all(): Record<string, Left> {
  try {
    const stored: unknown = JSON.parse(localStorage.getItem(KEY) ?? '{}')
    return stored && typeof stored === 'object' ? (stored as Record<string, Left>) : {}
  } catch {
    return {}
  }
}

export const useResume = defineStore('resume', () => {
  const character = useCharacter()
  const posing = usePose()
  const station = ref('')
  /** Where the view stands; set by the view. */
  const camera = shallowRef<Camera | null>(null)

  function keep(id: string): void {
    if (!id || id !== character.id || !character.figure) return
    const { dials, chosen, axis } = posing, { joints, shapes } = posing.pose
    const newest = Object.entries(all()).filter(([other]) => other !== id).slice(-(MOST - 1))
    const now: Left = { station: station.value, joints: joints ?? {}, shapes: shapes ?? {}, dials, chosen, axis, camera: camera.value }
    try {
      localStorage.setItem(KEY, JSON.stringify(Object.fromEntries([...newest, [id, now]])))
    } catch {
      // A browser that keeps nothing: then every character is opened as for the first time.
    }
  }
  const keepSoon = useDebounceFn(keep, 400)
  watch([() => posing.pose.joints, () => posing.shapes, () => posing.dials, () => posing.chosen, () => posing.axis, camera, station], () => keepSoon(character.id))
  // Whoever reloads or leaves right after a change finds it too.
  useEventListener(window, 'pagehide', () => keep(character.id))

  /** What was left of a character, if its joints still stand; the station alone when they do not. */
  function left(id: string): Left | null {
    const found = all()[id]
    return found && typeof found === 'object' ? found : null
  }

  /** Go on in the pose that was left; whether there was one that fits. */
  function goOn(id: string): boolean {
    const found = left(id)
    const known = new Set(character.figure?.joints.map((j) => j.name))
    if (!found || !known.has(found.chosen) || character.sculpting) return false
    posing.take({
      joints: Object.fromEntries(Object.entries(found.joints).filter(([name]) => known.has(name))),
      shapes: found.shapes ?? {},
      dials: Object.fromEntries(Object.entries(found.dials).filter(([name]) => character.state?.dials.some((d) => d.name === name))),
    })
    posing.chooseJoint(found.chosen)
    posing.axis = found.axis
    camera.value = found.camera
    return true
  }

  return { station, camera, left, goOn }
})
