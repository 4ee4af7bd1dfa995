<script setup lang="ts">
/** What the view shows: shading, and what is on or off; a station adds its own switches in the middle. */
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLook, type Shading } from '@/workbench/look'
import EyeMenu from './EyeMenu.vue'
import PartsMenu from './PartsMenu.vue'

defineProps<{ shadings: Shading[] }>()
const character = useCharacter()
const posing = usePose()
const looks = useLook()
const labels: Record<Shading, string> = { weights: 'Weights', mixed: 'All joints', colour: 'Colour', clay: 'Clay', checker: 'Checker', wire: 'Wire', volume: 'Volume', stretch: 'Stretch', fold: 'Folds', contacts: 'Contacts', clipping: 'Clipping' }
</script>

<template>
  <div class="bar chips" role="radiogroup" aria-label="Shading">
    <button v-for="s in shadings" :key="s" role="radio" :aria-checked="looks.shading === s" :class="{ on: looks.shading === s }" @click="looks.shading = s">{{ labels[s] }}</button>
  </div>
  <div class="bar toggles">
    <button :class="{ on: !posing.atRest }" :disabled="character.sculpting !== null" title="Rest pose and back (Q)" @click="posing.toggleRest">{{ posing.atRest ? 'Back to pose' : 'Rest pose' }}</button>
    <slot />
    <button :class="{ on: looks.joints }" :aria-pressed="looks.joints" title="Joints on or off (J)" @click="looks.joints = !looks.joints">Joints</button>
    <EyeMenu />
    <PartsMenu v-if="(character.figure?.parts.length ?? 0) > 1" />
  </div>
</template>

<style scoped>
.bar { position: absolute; right: 12px; display: flex; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; overflow: hidden; font-size: 12px; }
.chips { top: 12px; }
.toggles { top: 46px; }
.bar > :deep(button), .bar > :slotted(button) { border: 0; background: none; color: var(--muted); font: inherit; padding: 4px 10px; border-right: 1px solid var(--line); cursor: pointer; }
.bar > :deep(button:last-child) { border: 0; }
.bar > :deep(.on), .bar > :slotted(.on) { background: var(--raised); color: var(--text); }
</style>
