<script setup lang="ts">
/** The brushes, with size and strength. */
import BrushNumbers from '@/view/BrushNumbers.vue'
import { useTools, type BrushName } from '@/workbench/tools'

const tools = useTools()
const brushes: { name: BrushName; label: string; hint: string }[] = [
  { name: 'grab', label: 'Grab', hint: 'Drag the skin along with the pointer' },
  { name: 'inflate', label: 'Inflate', hint: 'Push out along the normal; with Shift, let in' },
  { name: 'smooth', label: 'Smooth', hint: 'Even out under the brush' },
  { name: 'put_back', label: 'Put back', hint: 'Return to what it was when the session began' },
]
</script>

<template>
  <div class="rail rail-buttons" role="radiogroup" aria-label="Brush">
    <button v-for="b in brushes" :key="b.name" role="radio" :aria-checked="tools.brush === b.name" :class="{ on: tools.brush === b.name }" :title="b.hint" @click="tools.brush = b.name">{{ b.label }}</button>
  </div>
  <BrushNumbers class="beside"><span>mirroring <b>off</b></span></BrushNumbers>
</template>

<style scoped>
.rail { top: 56px; }
/* The table of measures stands in the right corner. */
.beside { max-width: calc(100% - 250px); }
</style>
