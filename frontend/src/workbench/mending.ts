/** The remedies: which act at the chosen joint, which one is worked on. */
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { useDebounceFn } from '@vueuse/core'
import { api, Problem, type Axis, type CharacterState, type Pose, type RemedyCard, type Schemas } from '@/api/client'
import { say, useCharacter } from './character'
import { useLive } from './live'
import { usePose } from './pose'

/** The hinge that a remedy is tied to, or null. */
export const hingeOf = (remedy: RemedyCard | null | undefined) => (remedy?.trigger?.kind === 'hinge' ? remedy.trigger : null)

/** A remedy's activation at an angle of its hinge, degrees. */
export function activationAt(remedy: RemedyCard, angle: number): number {
  const curve = remedy.curve
  if (!curve.length) return 0
  if (angle <= curve[0][0]) return curve[0][1]
  for (let k = 1; k < curve.length; k++) {
    const [[a, p], [b, q]] = [curve[k - 1], curve[k]]
    if (angle <= b) return p + ((angle - a) / (b - a)) * (q - p)
  }
  return curve.at(-1)![1]
}

/** What one more target of a corrective would be at an angle of its hinge: on its way, well beyond its end, or nothing. */
export function roomAt(remedy: RemedyCard, angle: number): 'between' | 'further' | null {
  const on = activationAt(remedy, angle)
  if (on >= 0.02 && on <= 0.98) return remedy.targets.every((t) => Math.abs(t.at - on) >= 0.02) ? 'between' : null
  const hinge = hingeOf(remedy)
  if (hinge?.start_deg == null || hinge.end_deg == null) return null
  // The server leads a response on by a twentieth of the way or more.
  return (angle - hinge.start_deg) / (hinge.end_deg - hinge.start_deg) >= 1 / 0.95 ? 'further' : null
}

/** The angle at which a remedy's response is at an activation, degrees; null where it never is. */
export function angleOf(remedy: RemedyCard, activation: number): number | null {
  const curve = remedy.curve
  for (let k = 1; k < curve.length; k++) {
    const [[a, p], [b, q]] = [curve[k - 1], curve[k]]
    if (p !== q && Math.min(p, q) <= activation && activation <= Math.max(p, q)) return a + ((activation - p) / (q - p)) * (b - a)
  }
  return null
}

export const useMending = defineStore('mending', () => {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const chosenRemedy = ref<string | null>(null)
  /** Whether something is being solved. */
  const busy = ref(false)

  /** What is wrong with remedies, whatever the pose or in this one. */
  const findings = ref<Schemas['FindingInfo'][]>([])

  const all = computed(() => character.state?.remedies ?? [])
  const needsTie = (r: RemedyCard) => r.needs_tie && !r.by
  const tiedHere = computed(() => all.value.filter((r) => r.joints.includes(posing.chosen)))
  const untied = computed(() => all.value.filter((r) => needsTie(r) || !r.joints.length))
  const elsewhere = computed(() => all.value.filter((r) => r.joints.length && !r.joints.includes(posing.chosen) && !needsTie(r)))
  const remedy = computed(() => all.value.find((r) => r.id === chosenRemedy.value) ?? null)

  function chooseRemedy(id: string): void {
    chosenRemedy.value = id
    const hinge = hingeOf(all.value.find((r) => r.id === id))
    if (!hinge) return
    if (posing.chosen !== hinge.joint) posing.chosen = hinge.joint
    posing.axis = [...hinge.axis] as Axis
  }

  /** What a newcomer sees first: a remedy at work, without and with it side by side; else a joint that bends something. */
  function chooseFirst(): void {
    const now = character.state, info = character.figure
    if (!now || !info) return
    const turned = now.sculpt && Object.keys(now.sculpt.pose.joints ?? {})[0]
    const first = now.remedies.find((r) => hingeOf(r))
    const hinge = hingeOf(first)
    if (turned) posing.chooseJoint(turned)
    else if (first && hinge) {
      chooseRemedy(first.id)
      posing.goTo(hinge.joint, hinge.axis as Axis, hinge.end_deg ?? 90)
    } else {
      const bending = info.joints.find((j) => j.bends) ?? info.joints[0]
      if (bending) posing.chooseJoint(bending.name)
    }
  }

  /** An edit that makes remedies: the last of them is chosen. */
  async function making(run: (character: string) => Promise<CharacterState>): Promise<void> {
    const known = new Set(all.value.map((r) => r.id))
    if (!(await character.edit(run))) return
    const made = all.value.filter((r) => !known.has(r.id)).at(-1)
    if (made) chosenRemedy.value = made.id
  }

  /** Sculpt a new corrective in this pose, or one again where it is fully on. */
  async function beginSculpt(id: string | null): Promise<void> {
    const card = all.value.find((r) => r.id === id)
    if (card && (live.frame?.activations[card.id] ?? 0) < 0.999) {
      const hinge = hingeOf(card)
      if (hinge) posing.goTo(hinge.joint, hinge.axis as Axis, hinge.end_deg ?? 90)
      else posing.take(card.pose)
    }
    await character.edit((c) => api.beginSculpt(c, posing.pose, id))
  }

  /** How far a first mend has got, or null. */
  const solved = ref<number | null>(null)
  let running: AbortController | null = null

  async function solving(run: () => Promise<unknown>): Promise<void> {
    busy.value = true
    await run().finally(() => (busy.value = false))
  }

  /** Let the program solve a corrective for this pose; it is shown as a sculpt, to be kept or dropped. */
  async function solveFirst(giveBack = 1): Promise<void> {
    const joint = character.sculpting?.mend?.joint ?? (posing.chosen && (posing.clip || Math.abs(posing.angle) >= 1) ? posing.chosen : null)
    await solveFor(character.sculpting ? null : posing.pose, joint, giveBack)
  }
  /** The same for a joint in a pose. */
  async function solveFor(pose: Pose | null, joint: string | null, giveBack = 1): Promise<void> {
    const mine = (running = new AbortController())
    solved.value = 0
    try {
      await api.firstMend(character.id, { pose, joint, give_back: giveBack, most_stretch: 1.4 }, (now) => {
        if (mine.signal.aborted) return
        solved.value = now.share
        if (now.state) void character.take(now.state)
      }, mine.signal)
    } catch (error) {
      if (!mine.signal.aborted) say(error)
    } finally {
      if (running === mine) stopSolving()
    }
  }
  /** Stop it: nothing is changed. */
  function stopSolving(): void {
    running?.abort()
    running = solved.value = null
  }

  // Once the pose rests: it may apply a kept movement twice.
  const look = useDebounceFn(async () => {
    const of = character.id, revision = character.state?.revision
    if (!revision || !all.value.length) return void (findings.value = [])
    try {
      const found = await api.findings(of, posing.atRest ? null : posing.pose)
      if (of === character.id && revision === character.state?.revision) findings.value = found
    } catch (error) {
      if (!(error instanceof Problem)) throw error
    }
  }, 400)
  watch([() => character.state?.revision, () => posing.pose], () => void look())

  watch(() => posing.chosen, (name) => {
    if (remedy.value && !remedy.value.joints.includes(name)) chosenRemedy.value = null
  }, { flush: 'sync' })
  watch(() => character.state, (now) => {
    if (chosenRemedy.value && !now?.remedies.some((r) => r.id === chosenRemedy.value)) chosenRemedy.value = null
  }, { flush: 'sync' })

  return { all, findings, chosenRemedy, tiedHere, elsewhere, untied, remedy, chooseRemedy, chooseFirst, making, solving, busy, beginSculpt, solveFirst, solveFor, solved, stopSolving }
})
