/** Where the character is worst: the spots of its sweep, and the one that is looked at. */
import { watchDebounced } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Axis, type Pose, type Schemas } from '@/api/client'
import { plainName } from './angles'
import { say, useCharacter } from './character'
import { useLook } from './look'
import { usePose } from './pose'
import { isUnderWay, useWork } from './work'

export type Spot = Schemas['SpotInfo']
export type Sweep = Schemas['SweepInfo']

const turns = { bend: 'bent', roll: 'rolled', swing: 'swung' } as const
const signed = (degrees: number) => `${degrees < 0 ? '−' : ''}${Math.abs(Math.round(degrees))}°`

/** The family of what a spot is worst in: loss, swelling, skin or contact. */
export const familyOf = (spot: Spot) => spot.id.slice(spot.id.lastIndexOf(':') + 1)
/** How far its last joint is turned there: “bent 118°”. */
export const turnOf = (spot: Spot) => `${turns[spot.turn ?? 'bend']} ${signed(spot.worst_deg ?? 0)}`

/** What a spot is called: “Left forearm bent 118°”. */
export function spotName(spot: Spot): string {
  if (spot.kind === 'joint') return `${plainName(spot.at_joint)} ${turnOf(spot)}`
  return spot.kind === 'pair' ? `${plainName(spot.joints.at(-1) ?? '')} ${turnOf(spot)}` : plainName(spot.at_joint)
}
/** What else is so there: with which joint, in which clip; empty for a joint by itself. */
export function spotWhere(spot: Spot): string {
  if (spot.kind === 'pair') return `with ${plainName(spot.joints[0] ?? '').toLowerCase()} bent`
  if (spot.kind === 'clip') return `${(spot.time_s ?? 0).toFixed(1)} s into ${spot.clip}`
  return spot.kind === 'kept_pose' ? `in “${spot.kept_pose}”` : ''
}

export const useTrouble = defineStore('trouble', () => {
  const character = useCharacter()
  const posing = usePose()
  const looks = useLook()
  const work = useWork()
  const sweep = shallowRef<Sweep | null>(null)
  const chosenId = ref<string | null>(null)
  let asked = 0

  const job = computed(() => work.jobs.find((one) => one.kind === 'sweep' && isUnderWay(one)) ?? null)
  const spots = computed(() => sweep.value?.spots ?? [])
  const chosen = computed(() => spots.value.find((spot) => spot.id === chosenId.value) ?? null)
  /** The worst spots of each joint's own directions. */
  const byJoint = computed(() => {
    const found: Record<string, Spot[]> = {}
    for (const spot of spots.value) if (spot.kind === 'joint') (found[spot.at_joint] ??= []).push(spot)
    return found
  })

  async function load(): Promise<void> {
    const mine = ++asked, of = character.id
    if (!of) return
    try {
      const now = await api.sweep(of)
      if (mine === asked && of === character.id) sweep.value = now
    } catch (error) {
      if (mine === asked) say(error)
    }
  }

  /** Have measured what was not, or what an edit has reached since. */
  async function start(): Promise<void> {
    try {
      work.follow(await api.startSweep(character.id, posing.chosen || null))
    } catch (error) {
      say(error)
    }
  }

  /** Stand as the character does where it is worst, and look there. */
  function go(spot: Spot): void {
    if (character.sculpting) return
    chosenId.value = spot.id
    posing.chooseJoint(spot.at_joint)
    if (spot.kind === 'joint' || spot.kind === 'pair') posing.axis = [...(spot.axis as Axis)]
    if (spot.kind === 'clip' && spot.clip) {
      posing.chooseClip(spot.clip)
      posing.seek(spot.time_s ?? 0)
    } else posing.go(spot.pose as Pose)
    looks.lookAt(spot.at as [number, number, number])
  }
  function step(by: 1 | -1, among: Spot[]): void {
    const at = among.findIndex((spot) => spot.id === chosenId.value)
    const next = among[at < 0 ? 0 : Math.min(Math.max(at + by, 0), among.length - 1)]
    if (next) go(next)
  }

  async function change(made: Promise<void>): Promise<void> {
    try {
      await made
      await load()
    } catch (error) {
      say(error)
    }
  }
  const accept = (spot: Spot, reason: string) => change(api.acceptSpot(character.id, spot.id, reason))
  const reopen = (spot: Spot) => change(api.reopenSpot(character.id, spot.id))

  watch(() => character.id, () => {
    sweep.value = null
    chosenId.value = null
    if (character.id) void load()
  }, { immediate: true })
  // While it is measured the list grows; it is asked for no more often than it can be read.
  watchDebounced(() => job.value && [job.value.id, job.value.share], () => void load(), { debounce: 400, maxWait: 1000 })
  // What was swept once is kept up to date, once the hand rests.
  watchDebounced(() => [character.state?.revision, character.sculpting !== null] as const, async ([revision, sculpts]) => {
    if (!revision || sculpts || !sweep.value?.swept) return
    await load()
    if (sweep.value?.older || sweep.value?.missing) await start()
  }, { debounce: 1500 })

  return { sweep, spots, chosen, chosenId, byJoint, job, load, start, go, step, accept, reopen }
})
