/** The keys that every station with a view has. */
import type { Ref } from 'vue'
import { usePlainKeys } from '@/workbench/keys'
import { useTools } from '@/workbench/tools'
import { useWorkbench } from '@/workbench/store'

interface View {
  face(): void
  faceAll(): void
  hideUnder(): void
}

export function useViewKeys(view: Ref<View | null | undefined>, more: Record<string, () => void> = {}): void {
  const bench = useWorkbench()
  const tools = useTools()
  usePlainKeys({
    q: bench.toggleRest,
    j: () => (bench.joints = !bench.joints),
    f: () => view.value?.face(),
    a: () => view.value?.faceAll(),
    h: () => view.value?.hideUnder(),
    '[': () => tools.resize(1 / 1.1),
    ']': () => tools.resize(1.1),
    ',': () => bench.bendTo(bench.angle - 5),
    '.': () => bench.bendTo(bench.angle + 5),
    ...more,
  })
}
