<script setup lang="ts">
/** The posed skin out as an OBJ, and back in: only the difference counts. */
import { ref } from 'vue'
import { api } from '@/api/client'
import { useCharacter } from '@/workbench/character'

const character = useCharacter()
const picker = ref<HTMLInputElement>()
async function take(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file) await character.edit((c) => api.bringBack(c, file))
}
</script>

<template>
  <p class="muted">
    Sculpt elsewhere: <a :href="`/api/characters/${character.id}/sculpt/obj`" download="sculpt.obj">send out as OBJ</a>,
    <button type="button" @click="picker?.click()">bring it back</button>
  </p>
  <input ref="picker" type="file" accept=".obj" hidden aria-label="Sculpted OBJ" @change="take">
</template>

<style scoped>
p { font-size: 12px; margin: 6px 0 0; }
a, button { color: var(--accent); background: none; border: 0; padding: 0; font: inherit; cursor: pointer; text-decoration: underline; }
</style>
