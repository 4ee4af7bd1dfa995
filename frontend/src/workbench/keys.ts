import { onKeyStroke } from '@vueuse/core'

/** Inputs that take no letters: a letter pressed there is a shortcut. */
const WORDLESS = ['number', 'range', 'checkbox', 'radio', 'button']

/** Whether a key press belongs to a field that someone types in, and so is no shortcut. */
export function isTyping(event: KeyboardEvent): boolean {
  const { target } = event
  if (target instanceof HTMLInputElement && WORDLESS.includes(target.type)) return !/^[a-df-z?]$/i.test(event.key)
  return target instanceof HTMLElement && /input|textarea|select/i.test(target.tagName)
}

/** Keys that act while nobody types and no modifier is held; brackets repeat while they are held down. */
export function usePlainKeys(keys: Record<string, () => void>): void {
  for (const [key, run] of Object.entries(keys)) {
    const plain = (event: KeyboardEvent) => !isTyping(event) && !event.ctrlKey && !event.metaKey && !event.altKey
    onKeyStroke(key, (event) => plain(event) && run(), { dedupe: key !== '[' && key !== ']' })
  }
}
