/** Long work on the character: how far each piece has got, how it ended, and what is offered. */
import { defineStore } from 'pinia'
import { computed, shallowRef } from 'vue'
import { api, Problem } from '@/api/client'
import type { Job } from '@/api/live'
import { say, useCharacter } from './character'

/** What kinds of work are called. */
const names: Record<string, string> = {
  automatic: 'Automatic weights', first_mend: 'First mend', push_apart: 'Push apart', which_kind: 'Which kind?', delivery: 'Delivery', sweep: 'Sweep',
}
export const workName = (job: Job): string => names[job.kind] ?? job.kind
const UNDER_WAY = ['waiting', 'running', 'parted']
export const isUnderWay = (job: Job): boolean => UNDER_WAY.includes(job.state)

export const useWork = defineStore('work', () => {
  const character = useCharacter()
  /** What is under way or offered, the oldest first. */
  const jobs = shallowRef<Job[]>([])

  function follow(now: Job): void {
    if (now.state === 'failed') say(new Problem(now.detail ?? 'The work went wrong; nothing was changed.'))
    const kept = isUnderWay(now) || now.state === 'offered'
    const known = jobs.value.some((job) => job.id === now.id) ? jobs.value : [...jobs.value, now]
    jobs.value = known.map((job) => (job.id === now.id ? now : job)).filter((job) => kept || job.id !== now.id)
  }

  /** The server was away: what was under way may have ended meanwhile. */
  const lookAgain = () => jobs.value.forEach((job) => void api.job(job.id).then(follow, () => (jobs.value = jobs.value.filter((one) => one.id !== job.id))))

  /** How far automatic weights have got, or null. */
  const binding = computed(() => jobs.value.find((job) => job.kind === 'automatic' && isUnderWay(job)) ?? null)
  const automaticWeights = (joints: string[] | null, region: string | null = null) =>
    api.automaticWeights(character.id, { joints, region }).then(follow).catch(say)

  /** Stop it, or leave what it offers. */
  const cancel = (job: Job) => api.cancelJob(job.id).catch(say)
  /** Make the edit that it offers. */
  const take = (job: Job) => character.edit(() => api.takeJob(job.id))

  return { jobs, follow, lookAgain, binding, automaticWeights, cancel, take }
})
