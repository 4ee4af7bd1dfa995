<script setup lang="ts">
/** What Stress lays over the view: what is measured at each place of the skin, without and with, the measures. */
import { onBeforeUnmount } from 'vue'
import CompareBar from '@/view/CompareBar.vue'
import LiveMeasures from '@/view/LiveMeasures.vue'
import { useLook } from '@/workbench/look'

const looks = useLook()
// Elsewhere nothing would say how to leave it.
onBeforeUnmount(() => {
  if (looks.skin) looks.shading = 'colour'
})
</script>

<template>
  <CompareBar :shadings="['colour', 'clay', 'volume', 'stretch', 'fold', 'contacts', 'clipping']" />
  <LiveMeasures />
</template>
