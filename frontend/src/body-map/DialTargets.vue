<script setup lang="ts">
/** What a dial switches on: each remedy with a response of its own, and one more at a click. */
import { computed } from 'vue'
import { api, type DialRule, type RemedyCard } from '@/api/client'
import { dialKnots } from '@/remedies/useTriggers'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useMending } from '@/workbench/mending'

const props = defineProps<{ dial: DialRule }>()
const character = useCharacter()
const live = useLive()
const mending = useMending()
const switched = computed(() => mending.all.filter((r) => r.by === props.dial.id || (r.trigger?.kind === 'dial' && r.trigger.reads === props.dial.id)))
/** Correctives that nothing switches on yet. */
const free = computed(() => mending.all.filter((r) => r.needs_tie && !r.by))
function response(r: RemedyCard): string {
  if (r.trigger?.kind !== 'dial') return 'as the dial stands'
  const { knots } = r.trigger
  const [first, last] = [knots[0], knots[knots.length - 1]]
  return `${Math.round(first.value * 100)} % at ${first.input}, ${Math.round(last.value * 100)} % at ${last.input}${knots.length > 2 ? `, ${knots.length} knots` : ''}`
}
const add = (id: string) => character.edit((c) => api.setTrigger(c, id, { kind: 'dial', name: '', reads: props.dial.id!, knots: dialKnots(props.dial) }))
</script>

<template>
  <div class="targets" role="group" :aria-label="`What the dial ${dial.name} switches on`">
    <p class="muted">{{ switched.length ? 'Switches on, each by its own response:' : 'Switches nothing on yet.' }}</p>
    <button v-for="r in switched" :key="r.id" class="target" title="Open its card" @click="mending.chooseRemedy(r.id)">
      <span class="name">{{ r.name }}</span><span class="num">{{ Math.round((live.frame?.activations[r.id] ?? 0) * 100) }} %</span>
      <small>{{ response(r) }}</small>
    </button>
    <el-select v-if="free.length" :model-value="null" size="small" filterable placeholder="Add a corrective …" aria-label="Add a corrective to the dial" @update:model-value="(id: unknown) => add(id as string)"><el-option v-for="r in free" :key="r.id" :value="r.id" :label="r.name" /></el-select>
  </div>
</template>

<style scoped>
.targets { grid-column: 1 / 4; display: grid; gap: 4px; }
p { font-size: 12px; }
.target { display: grid; grid-template-columns: 1fr auto; text-align: left; background: var(--raised); border: 1px solid var(--line); border-radius: 4px; padding: 4px 7px; color: var(--text); font: inherit; font-size: 12px; cursor: pointer; }
.target small { grid-column: 1 / 3; color: var(--muted); }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
</style>
