/** Where the view looks from: a joint from four sides, the whole figure, and what is chosen brought into sight. */
import { Vector3 } from 'three'
import { computed, ref, watch, type Ref } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { usePose } from '@/workbench/pose'
import { BARS } from './bars'
import { jointPlace, project } from './joints'
import type { Stage } from './stage'

/** How much of the figure's height round a joint is looked at, and what share of the view is too small for it. */
const JOINT = 0.14, SMALL = 0.3
/** From which side the joint is faced, or one of these. */
export const WHOLE = -1, NO_SIDE = -2
export const SIDES = [['Outer', 'outer side'], ['Front', 'front'], ['Inner', 'inner side'], ['Back', 'back']]

export function useFraming(given: { stage: () => Stage | null; height: Ref<number>; still: () => boolean; turned: () => void }) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const looks = useLook()
  const side = ref(WHOLE)

  /** A direction, said with Y up, in the space of the file. */
  const inFile = (x: number, y: number, z: number) => (character.state?.up === 'z' ? new Vector3(x, -z, y) : new Vector3(x, y, z))
  watch(() => character.state?.up, (now, before) => {
    given.stage()?.setUp(inFile(0, 1, 0))
    if (now && before && now !== before) faceAll()
  }, { flush: 'post' })

  const directions = computed(() => {
    const left = (posing.jointInfo?.at[0] ?? 0) >= 0 ? 1 : -1
    return [inFile(left, 0.15, 0.55), inFile(0, 0.1, 1), inFile(-left, 0.2, 0.5), inFile(left * 0.3, 0.15, -1)]
  })

  /** Face the chosen joint from one of four sides. */
  function face(which: number): void {
    side.value = which % SIDES.length
    const info = posing.jointInfo, frame = live.frame, stage = given.stage()
    if (!stage || !info || !character.figure) return
    const at = frame ? jointPlace(frame.joints, info.index) : new Vector3(...(info.at as [number, number, number]))
    stage.face(at, directions.value[side.value], character.figure.height * JOINT)
    given.turned()
  }

  function faceAll(): void {
    const stage = given.stage()
    if (!stage || !character.mesh) return
    const p = live.frame?.with ?? character.mesh.rest
    const low = new Vector3(Infinity, Infinity, Infinity), high = low.clone().negate()
    for (let i = 0; i < p.length; i += 3) {
      const v = new Vector3(p[i], p[i + 1], p[i + 2])
      low.min(v)
      high.max(v)
    }
    side.value = WHOLE
    stage.face(low.clone().add(high).multiplyScalar(0.5), inFile(0.25, 0.1, 1), low.distanceTo(high) * 0.46, Math.min(BARS / Math.max(given.height.value, 1), 0.5))
  }

  /** A joint that is out of sight, or small, is brought into view when it is chosen. */
  function bring(): void {
    const info = posing.jointInfo, frame = live.frame, stage = given.stage()
    if (!stage || !info || !frame || !character.figure || given.still()) return
    const { x, y } = project(jointPlace(frame.joints, info.index), { camera: stage.camera, width: 1, height: 1 })
    if (x < 0.08 || x > 0.92 || y < 0.08 || y > 0.92 || isSmall(info.index)) face(Math.max(side.value, 0))
  }

  /** Whether a joint takes little of the view's height with what is round it. */
  function isSmall(joint: number): boolean {
    const { camera } = given.stage()!
    const away = camera.position.distanceTo(jointPlace(live.frame!.joints, joint))
    return (JOINT * character.figure!.height) / (away * Math.tan((camera.fov * Math.PI) / 360)) < SMALL
  }

  watch(() => looks.place, (at) => {
    const stage = given.stage()
    if (!at || !stage || !character.figure) return
    // From where its side of the body is seen.
    const [x, , z] = character.upright(at)
    const from = inFile(x, 0.1 * character.figure.height, z).normalize()
    stage.face(new Vector3(...at), from, character.figure.height * 0.1)
  })

  return { side, inFile, face, faceAll, bring, isSmall }
}
