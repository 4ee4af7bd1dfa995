/** Whether a key press belongs to a field that someone types in, and so is no shortcut. */
export function isTyping(event: KeyboardEvent): boolean {
  return event.target instanceof HTMLElement && /input|textarea|select/i.test(event.target.tagName)
}
