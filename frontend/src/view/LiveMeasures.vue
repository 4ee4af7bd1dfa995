<script setup lang="ts">
/** What is measured of the chosen joint in the pose that is shown, without and with remedies. */
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'

const character = useCharacter()
const live = useLive()
const percent = (value: number | null | undefined) => (value == null ? '–' : `${value.toFixed(1)} %`)
/** Square units of the drawing. */
const area = (value: number | null | undefined) => (value == null ? '–' : value.toFixed(value < 10 ? 1 : 0))
</script>

<template>
  <table v-if="live.frame?.measures" class="measures">
    <thead><tr><td /><th>without</th><th>with</th></tr></thead>
    <tbody class="num">
      <tr><th>{{ character.flat ? 'Area' : 'Volume' }}</th><td class="loss">{{ percent(live.frame.measures.without.volume) }}</td><td class="good" data-volume>{{ percent(live.frame.measures.with.volume) }}</td></tr>
      <tr><th>{{ character.flat ? 'Least width' : 'Least girth' }}</th><td class="loss">{{ percent(live.frame.measures.without.girth) }}</td><td class="good">{{ percent(live.frame.measures.with.girth) }}</td></tr>
      <tr v-if="character.flat"><th>Open fill</th><td class="loss">{{ area(live.frame.measures.without.open_fill) }}</td><td class="good" data-open>{{ area(live.frame.measures.with.open_fill) }}</td></tr>
      <tr v-else><th>New contacts</th><td class="loss">{{ live.contacts?.without ?? '…' }}</td><td class="good" data-contacts>{{ live.contacts?.with ?? '…' }}</td></tr>
    </tbody>
    <caption v-if="live.frame.measures.why.length">{{ live.frame.measures.why.join(' ') }}</caption>
  </table>
</template>

<style scoped>
.measures { position: absolute; right: 12px; bottom: 12px; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 5px 8px; font-size: 12px; border-spacing: 6px 0; }
.measures caption { caption-side: bottom; text-align: left; color: var(--muted); max-width: 240px; padding: 4px 6px 0; }
.measures th { color: var(--text); font-weight: 500; text-align: left; font-family: 'Next'; }
.measures thead th { color: var(--muted); text-align: right; font-weight: 400; }
.measures td { text-align: right; }
</style>
