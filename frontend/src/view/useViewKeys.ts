/** The keys that every station with a view has. */
import type { Ref } from 'vue'
import { usePlainKeys } from '@/workbench/keys'
import { useWorkbench } from '@/workbench/store'

interface View {
  face(): void
  faceAll(): void
}

export function useViewKeys(view: Ref<View | null | undefined>, more: Record<string, () => void> = {}): void {
  const bench = useWorkbench()
  const size = (factor: number) => (bench.brushSize = Math.max(0.005, Math.min(0.25, bench.brushSize * factor)))
  usePlainKeys({
    q: bench.toggleRest,
    j: () => (bench.joints = !bench.joints),
    f: () => view.value?.face(),
    a: () => view.value?.faceAll(),
    '[': () => size(1 / 1.1),
    ']': () => size(1.1),
    ',': () => bench.bendTo(bench.angle - 5),
    '.': () => bench.bendTo(bench.angle + 5),
    ...more,
  })
}
