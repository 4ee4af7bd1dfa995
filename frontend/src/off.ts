/**
 * `v-off="reason"`: a choice that cannot be taken now. It looks disabled and does nothing, but can be reached by the keyboard,
 * and says why on focus. Empty = it can be taken.
 */
import type { Directive } from 'vue'

const reasons = new WeakMap<HTMLElement, string>()
const bubble = document.createElement('div')
bubble.id = 'why-off'
bubble.className = 'why-off'
bubble.setAttribute('role', 'tooltip')

function show(element: HTMLElement): void {
  const reason = reasons.get(element)
  if (!reason) return hide()
  bubble.textContent = reason
  document.body.append(bubble)
  const at = element.getBoundingClientRect()
  const left = Math.min(at.left, window.innerWidth - bubble.offsetWidth - 8)
  const below = at.bottom + 6 + bubble.offsetHeight < window.innerHeight
  bubble.style.left = `${Math.max(8, left)}px`
  bubble.style.top = `${below ? at.bottom + 6 : at.top - bubble.offsetHeight - 6}px`
}
const hide = () => bubble.remove()

function set(element: HTMLElement, reason: string): void {
  reasons.set(element, reason)
  if (reason) {
    element.setAttribute('aria-disabled', 'true')
    element.setAttribute('aria-describedby', bubble.id)
  } else {
    element.removeAttribute('aria-disabled')
    element.removeAttribute('aria-describedby')
  }
  if (document.activeElement === element) show(element)
}

function stop(event: Event): void {
  if (!reasons.get(event.currentTarget as HTMLElement)) return
  event.stopImmediatePropagation()
  event.preventDefault()
}

export const off: Directive<HTMLElement, string> = {
  created(element) {
    // Before what the button does itself is listened for.
    element.addEventListener('click', stop, { capture: true })
    for (const name of ['focus', 'pointerenter']) element.addEventListener(name, () => show(element))
    for (const name of ['blur', 'pointerleave']) element.addEventListener(name, hide)
  },
  mounted: (element, { value }) => set(element, value),
  updated: (element, { value }) => set(element, value),
  unmounted: hide,
}
