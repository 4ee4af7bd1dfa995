/** The brushes, as the rail and the row at the pointer show them. */
import type { BrushName } from '@/workbench/tools'

export const brushes: { name: BrushName; label: string; hint: string }[] = [
  { name: 'grab', label: 'Grab', hint: 'Drag the skin along with the pointer' },
  { name: 'inflate', label: 'Inflate', hint: 'Push out along the normal; with Shift, let in' },
  { name: 'push', label: 'Push', hint: 'Drag: what is held goes out along the normal it has in common; with Shift, in' },
  { name: 'smooth', label: 'Smooth', hint: 'Even out under the brush (hold S with any brush)' },
  { name: 'flatten', label: 'Flatten', hint: 'Bring into one plane; with Shift, further out of it' },
  { name: 'draw_together', label: 'Draw together', hint: 'Gather edges under the brush; with Shift, spread them' },
  { name: 'slide', label: 'Slide', hint: 'Drag edges along the surface; the surface stays' },
  { name: 'even_loop', label: 'Even loop', hint: 'Space the points of the loop under the brush evenly along it' },
  { name: 'push_apart', label: 'Push apart', hint: 'Move what has gone through other skin back out of it' },
  { name: 'put_back', label: 'Put back', hint: 'Return to what it was when the session began' },
]
