<script setup lang="ts">
/** What Mend lays over the view: shading, without and with, the brushes, the measures. */
import { onKeyStroke } from '@vueuse/core'
import { onBeforeUnmount } from 'vue'
import OutlineRail from '@/drawing/OutlineRail.vue'
import BrushRail from '@/sculpt/BrushRail.vue'
import MaskRail from '@/remedies/MaskRail.vue'
import ViewBar from '@/view/ViewBar.vue'
import { useCharacter } from '@/workbench/character'
import { isTyping, usePlainKeys } from '@/workbench/keys'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'

const character = useCharacter()
const live = useLive()
const looks = useLook()
const plain = (event: KeyboardEvent) => !isTyping(event) && !event.ctrlKey && !event.metaKey && !event.altKey
usePlainKeys({ w: () => (looks.wipe = !looks.wipe) })
onKeyStroke(' ', (event) => {
  if (!plain(event) || event.target instanceof HTMLButtonElement) return
  event.preventDefault()
  looks.holding = true
})
onKeyStroke(' ', () => (looks.holding = false), { eventName: 'keyup' })
onBeforeUnmount(() => (looks.mask = looks.lone = null))
const percent = (value: number | null | undefined) => (value == null ? '–' : `${value.toFixed(1)} %`)
/** Square units of the drawing. */
const area = (value: number | null | undefined) => (value == null ? '–' : value.toFixed(value < 10 ? 1 : 0))
</script>

<template>
  <ViewBar :shadings="character.flat ? ['colour', 'wire'] : ['colour', 'clay', 'checker', 'wire', 'volume']">
    <button v-if="!character.flat" :class="{ on: looks.wipe }" :aria-pressed="looks.wipe" title="Wipe on or off (W)" @click="looks.wipe = !looks.wipe">Wipe</button>
    <button :class="{ on: looks.holding }" title="Hold to see without remedies (hold Space)" @pointerdown="looks.holding = true" @pointerup="looks.holding = false" @pointerleave="looks.holding = false">Without</button>
  </ViewBar>
  <OutlineRail v-if="character.sculpting && character.flat" />
  <BrushRail v-else-if="character.sculpting" />
  <MaskRail v-else-if="looks.mask" />
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
