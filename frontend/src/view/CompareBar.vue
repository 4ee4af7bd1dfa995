<script setup lang="ts">
/** The view's bar with the wipe between without and with, and its keys. */
import { onKeyStroke } from '@vueuse/core'
import { useCharacter } from '@/workbench/character'
import { isTyping, usePlainKeys } from '@/workbench/keys'
import { useLook, type Shading } from '@/workbench/look'
import ViewBar from './ViewBar.vue'

defineProps<{ shadings: Shading[] }>()
const character = useCharacter()
const looks = useLook()
const plain = (event: KeyboardEvent) => !isTyping(event) && !event.ctrlKey && !event.metaKey && !event.altKey
usePlainKeys({ w: () => (looks.wipe = !looks.wipe) })
onKeyStroke(' ', (event) => {
  if (!plain(event) || event.target instanceof HTMLButtonElement) return
  event.preventDefault()
  looks.holding = true
})
onKeyStroke(' ', () => (looks.holding = false), { eventName: 'keyup' })
</script>

<template>
  <ViewBar :shadings="character.flat ? ['colour', 'wire'] : shadings">
    <button v-if="!character.flat" :class="{ on: looks.wipe }" :aria-pressed="looks.wipe" title="Wipe on or off (W)" @click="looks.wipe = !looks.wipe">Wipe</button>
    <button :class="{ on: looks.holding }" title="Hold to see without remedies (hold Space)" @pointerdown="looks.holding = true" @pointerup="looks.holding = false" @pointerleave="looks.holding = false">Without</button>
  </ViewBar>
</template>
