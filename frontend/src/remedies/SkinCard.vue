<script setup lang="ts">
/** The card of a helper joint, a skin blend or a relaxer: what it follows, and how much of it there is. */
import type { RemedyCard } from '@/api/client'
import RemedyFrame from './RemedyFrame.vue'
import TiedTo from './TiedTo.vue'

defineProps<{ remedy: RemedyCard }>()
const kinds = { corrective: '', helper: 'Helper joint', skin_blend: 'Skin blend', relaxer: 'Relaxer' }
</script>

<template>
  <RemedyFrame :remedy="remedy">
    <template #icon>
      <svg viewBox="0 0 18 18" width="18" height="18" aria-hidden="true">
        <template v-if="remedy.kind === 'helper'"><circle cx="5" cy="13" r="2.4" fill="none" stroke="currentColor" stroke-width="2" /><path d="M7 11L14 4" stroke="currentColor" stroke-width="2" /></template>
        <path v-else-if="remedy.kind === 'skin_blend'" d="M9 3a6 6 0 1 0 0 12z" fill="currentColor" />
        <path v-else d="M2 9h14M2 5c5-3 9 3 14 0M2 13c5 3 9-3 14 0" fill="none" stroke="currentColor" stroke-width="1.6" />
      </svg>
    </template>
    <template #tells><p class="kind">{{ kinds[remedy.kind] }}</p><TiedTo :remedy="remedy" /></template>
  </RemedyFrame>
</template>

<style scoped>
.kind { font-size: 12.5px; color: var(--muted); }
</style>
