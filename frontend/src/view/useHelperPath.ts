/**
 * The way of the chosen helper joint over the travel of the chosen joint, and the stops of its slides.
 *
 * The path is asked for when something changes that it depends on; a stop that is moved is seen at once, and stored
 * when it is let go, or when the keys that move it rest.
 */
import { useDebounceFn } from '@vueuse/core'
import { Vector3 } from 'three'
import { computed, onBeforeUnmount, shallowRef, watch } from 'vue'
import { api, Problem, type Point, type Schemas } from '@/api/client'
import type { Rule } from '@/remedies/helperRules'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import { project, type View } from './joints'

export interface StopDot { rule: number; knot: number; x: number; y: number; label: string }
const PLACES = 33
const RESTS = 300 // milliseconds without a key
const vector = (p: Point) => new Vector3(...p)
type Numbers = Pick<StopDot, 'rule' | 'knot'>
const sameStop = (one: Numbers, other: Numbers) => one.rule === other.rule && one.knot === other.knot

export function useHelperPath(invalidate: () => void) {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const mending = useMending()
  const found = shallowRef<Schemas['PathOfHelper'] | null>(null)
  let running: AbortController | null = null
  /** The stop that is moved: of which helper of which character, the rules that it goes on from, and how far it has come. */
  let held: { of: string; own: string; rules: Rule[]; stop: Schemas['StopOfSlide']; x: number; y: number; perMetre: { x: number; y: number }; by: number; byKeys: boolean } | null = null
  /** Rules that are on their way to be stored: what moves next goes on from them. */
  let sent: { own: string; rules: Rule[] } | null = null

  const helper = computed(() => (mending.remedy?.driven && mending.remedy.on && !posing.clip && !character.sculpting ? mending.remedy : null))
  /** Bending the chosen joint goes along the path; any other joint of the pose changes it. */
  const subject = computed(() =>
    helper.value && posing.jointInfo
      ? JSON.stringify([helper.value.id, character.state?.revision, posing.chosen, posing.axis, Object.entries(posing.joints).filter(([name]) => name !== posing.chosen), posing.placed, posing.shapes, posing.dials])
      : '',
  )
  const load = useDebounceFn(async () => {
    running?.abort()
    const asked = subject.value, own = helper.value
    if (!asked || !own || !posing.jointInfo) {
      found.value = null
      invalidate()
      return
    }
    const mine = (running = new AbortController())
    const { low_deg: low, high_deg: high } = posing.jointInfo
    const angles = Array.from({ length: PLACES }, (_, k) => low + ((high - low) * k) / (PLACES - 1))
    try {
      const now = await api.helperPath(character.id, own.id, { joint: posing.chosen, axis: posing.axis, angles_deg: angles, pose: posing.pose }, mine.signal)
      if (asked === subject.value) found.value = now
    } catch (error) {
      if (error instanceof DOMException) return
      if (!(error instanceof Problem)) throw error
      found.value = null
    }
    invalidate()
  }, 60)
  watch(subject, load, { immediate: true })
  onBeforeUnmount(() => running?.abort())

  /** The path as it is seen. */
  function line(view: View): string {
    const places = helper.value ? (found.value?.places ?? []) : []
    const dots = places.map((p) => project(vector(p), view)).filter((p) => p.seen)
    return dots.length > 1 ? `M${dots.map((p) => `${p.x.toFixed(1)} ${p.y.toFixed(1)}`).join('L')}` : ''
  }
  /** The stops as they are seen; one that is dragged stands where the pointer has it. */
  function stops(view: View): StopDot[] {
    if (!helper.value) return []
    const mine = held?.own === helper.value.id ? held : null
    return (found.value?.stops ?? []).map((s) => {
      const by = mine && sameStop(mine.stop, s) ? mine.by : 0
      const at = project(vector(s.at).addScaledVector(vector(s.along), by), view)
      return { rule: s.rule, knot: s.knot, x: at.x, y: at.y, label: `Stop ${s.knot + 1} of the slide` }
    })
  }

  function hold(stop: Schemas['StopOfSlide'], by: Pick<NonNullable<typeof held>, 'x' | 'y' | 'perMetre' | 'byKeys'>): void {
    storeKeyed()
    const own = helper.value!
    const rules = sent?.own === own.id ? sent.rules : ((own.numbers.rules ?? []) as Rule[])
    held = { of: character.id, own: own.id, rules, stop, by: 0, ...by }
  }
  /** The rules with the held stop moved, or null. */
  function moved(): Rule[] | null {
    if (!held?.rules[held.stop.rule]) return null
    const { rules, by, stop: { rule, knot } } = held
    return rules.map((r, k) => (k === rule && r.kind === 'slide' ? { ...r, knots: r.knots.map((n, i) => (i === knot ? { ...n, metres: n.metres + by } : n)) } : r))
  }
  function grab(event: PointerEvent, dot: StopDot, view: View): void {
    const stop = found.value?.stops.find((s) => sameStop(s, dot))
    if (!stop || !helper.value) return
    // How far a centimetre goes on the screen: the slide has one way, whatever way the pointer goes.
    const from = project(vector(stop.at), view), to = project(vector(stop.at).addScaledVector(vector(stop.along), 0.01), view)
    hold(stop, { x: event.clientX, y: event.clientY, perMetre: { x: (to.x - from.x) * 100, y: (to.y - from.y) * 100 }, byKeys: false })
    ;(event.target as Element).setPointerCapture(event.pointerId)
  }
  function drag(event: PointerEvent): void {
    if (!held) return
    const { x, y } = held.perMetre
    held.by = ((event.clientX - held.x) * x + (event.clientY - held.y) * y) / Math.max(x * x + y * y, 1e-6)
    show()
  }
  function show(): void {
    const rules = moved()
    if (rules && held) live.body = { remedy_id: held.own, body: { rules } }
    invalidate()
  }
  async function drop(): Promise<void> {
    const was = held, rules = moved()
    held = null
    if (was?.by && rules && was.of === character.id) {
      const mine = (sent = { own: was.own, rules })
      await character.edit((c) => api.setBody(c, was.own, { rules }))
      if (sent !== mine) return // moved on since
      sent = null
    }
    if (!held) live.body = null
    invalidate()
  }
  const storeKeyed = () => held?.byKeys && void drop()
  const storeSoon = useDebounceFn(storeKeyed, RESTS)
  /** The arrow keys move a stop by a millimetre, with Shift by five. */
  function nudge(event: KeyboardEvent, dot: StopDot): void {
    const way = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key]
    const stop = found.value?.stops.find((s) => sameStop(s, dot))
    if (!way || !stop || !helper.value) return
    event.preventDefault()
    if (held?.own !== helper.value.id || !sameStop(held.stop, stop)) hold(stop, { x: 0, y: 0, perMetre: { x: 0, y: 0 }, byKeys: true })
    held!.by += way * (event.shiftKey ? 0.005 : 0.001) * character.sizeFactor
    show()
    void storeSoon()
  }
  return { line, stops, grab, drag, drop, nudge, rest: storeKeyed }
}
