<script setup lang="ts">
/** What acts after the skin and keeps part of the sculpt from coming back, with the click that lets it through. */
import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, Problem, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLengths } from '@/workbench/lengths'

const character = useCharacter()
const lengths = useLengths()
const found = ref<Schemas['HeldBack'][]>([])
const deforms = computed(() => character.state?.remedies.some((r) => r.on && r.stage === 'after'))
const subject = computed(() => (character.sculpting?.strokes && deforms.value ? character.state!.revision : ''))
const look = useDebounceFn(async () => {
  const asked = subject.value
  if (!asked) return void (found.value = [])
  try {
    const now = await api.heldBack(character.id)
    if (asked === subject.value) found.value = now
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    found.value = []
  }
}, 200)
watch(subject, look, { immediate: true })
</script>

<template>
  <p v-for="h in found" :key="h.id" class="hint" role="status">
    <b>{{ h.name }}</b> acts after the skin and holds {{ h.vertices }} vertices back, by up to {{ lengths.small(h.most_m) }}.
    <el-button size="small" @click="character.edit((c) => api.giveWay(c, h.id))">{{ h.gives_way }}</el-button>
  </p>
</template>

<style scoped>
.hint { color: var(--warn); font-size: 12.5px; margin-top: 6px; }
</style>
