/** The keys of the view. */
import { usePlainKeys } from '@/workbench/keys'
import { useTools } from '@/workbench/tools'
import { usePose } from '@/workbench/pose'
import { useLook } from '@/workbench/look'

interface View {
  face(): void
  faceAll(): void
  hideUnder(): void
}

export function useViewKeys(view: View): void {
  const posing = usePose()
  const looks = useLook()
  const tools = useTools()
  usePlainKeys({
    q: posing.toggleRest,
    j: () => (looks.joints = !looks.joints),
    f: () => view.face(),
    o: () => view.faceAll(),
    h: () => view.hideUnder(),
    v: () => (looks.fine = !looks.fine),
    '[': () => tools.resize(1 / 1.1),
    ']': () => tools.resize(1.1),
    ',': () => posing.step(-1),
    '.': () => posing.step(1),
  })
}
