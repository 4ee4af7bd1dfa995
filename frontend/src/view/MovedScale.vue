<script setup lang="ts">
/** What the tint of "what this sculpt has moved" means: from nothing to the furthest, in lengths. */
import { useLengths } from '@/workbench/lengths'

defineProps<{ most: number }>()
const lengths = useLengths()
</script>

<template>
  <div class="scale" role="img" :aria-label="`The strongest colour has moved by ${lengths.small(most)}`">
    <span class="num">0</span><i /><span class="num">{{ most ? lengths.small(most) : 'nothing moved yet' }}</span>
  </div>
</template>

<style scoped>
.scale { position: absolute; left: 12px; top: 12px; display: flex; gap: 8px; align-items: center; background: #1d1a22cc; border-radius: 4px; padding: 4px 9px; font-size: 12px; }
i { width: 90px; height: 8px; border-radius: 2px; background: linear-gradient(to right, #b3a696, #d0889f); }
</style>
