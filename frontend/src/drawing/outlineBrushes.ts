/** The brushes for outlines, as the rail and the row at the pointer show them; steady ones work on while the pointer is down. */
import type { OutlineBrush } from '@/workbench/tools'

export const outlineBrushes: { name: OutlineBrush; label: string; hint: string; steady?: boolean }[] = [
  { name: 'move', label: 'Move', hint: 'Drag a point, or one of its handles' },
  { name: 'roundness', label: 'Roundness', hint: 'Drag a point to the right for rounder, to the left for a corner' },
  { name: 'width', label: 'Width', hint: 'Drag a point up for a wider stroke, down for a thinner one' },
  { name: 'smooth', label: 'Smooth', hint: 'Press a point: the outline is faired there', steady: true },
  { name: 'put_back', label: 'Put back', hint: 'Press a point: it returns to where the session began', steady: true },
]

export const outlineBrush = (name: OutlineBrush) => outlineBrushes.find((b) => b.name === name)!
