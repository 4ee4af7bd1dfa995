/** Turning by the keyboard what has a knob: arrows a degree, with Shift or Page ten, Home back to rest. */
const STEPS: Record<string, number> = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 }

/** Where a key turns an angle to, degrees; null for any other key, which goes on to others. */
export function turnedByKey(event: KeyboardEvent, degrees: number): number | null {
  if (event.ctrlKey || event.metaKey || event.altKey) return null
  const to = event.key === 'Home' ? 0 : event.key in STEPS ? degrees + STEPS[event.key] * (event.shiftKey ? 10 : 1) : null
  if (to === null) return null
  event.preventDefault()
  event.stopPropagation()
  return Math.max(-180, Math.min(180, to))
}
