<script setup lang="ts">
/** Which value a remedy follows, in a sentence. */
import { computed } from 'vue'
import type { RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const words: Record<string, string> = { dial: 'the dial', group: 'the group', hinge: 'the bend', product: 'the product', pose_set: 'the pose' }
/** Through a dial's response it is the dial that people know. */
const followed = computed(() => (props.remedy.trigger?.kind === 'dial' ? props.remedy.trigger.reads : props.remedy.by))
const value = computed(() => character.state?.values.find((v) => v.id === followed.value))
</script>

<template>
  <p v-if="value" class="sentence">Follows {{ words[value.kind] ?? 'the value' }} <b>{{ value.name }}</b>.</p>
  <p v-else class="sentence">Always on.</p>
</template>

<style scoped>
.sentence { color: var(--muted); font-size: 12.5px; }
b { color: var(--text); }
</style>
