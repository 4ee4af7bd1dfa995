<script setup lang="ts">
/** The brushes, with size, strength and what they leave alone. */
import BrushNumbers from '@/view/BrushNumbers.vue'
import BrushRow from '@/view/BrushRow.vue'
import { useTools } from '@/workbench/tools'
import { brushes } from './brushes'

const tools = useTools()
</script>

<template>
  <div class="rail rail-buttons" role="radiogroup" aria-label="Brush">
    <button v-for="b in brushes" :key="b.name" role="radio" :aria-checked="tools.brush === b.name" :class="{ on: tools.brush === b.name, held: tools.smoothing && b.name === 'smooth' }" :title="b.hint" @click="tools.brush = b.name">{{ b.label }}</button>
  </div>
  <BrushNumbers class="beside">
    <el-checkbox v-model="tools.borderStays" label="border stays" size="small" title="Leave open borders alone, and where another part's border touches" />
    <el-checkbox v-model="tools.bothSides" label="mirror" size="small" title="Do the same on the other side; the pose has to be the same on both" />
    <el-checkbox v-model="tools.through" label="all parts" size="small" title="Take other parts along that the same joints move: a sleeve with the arm" />
  </BrushNumbers>
  <BrushRow v-model="tools.brush" :choices="brushes" />
</template>

<style scoped>
.rail { top: 56px; }
.rail button { padding-block: 4px; }
.rail .held { color: var(--accent); }
/* The table of measures stands in the right corner. */
.beside { max-width: calc(100% - 250px); }
</style>
