<script setup lang="ts">
/** What Bind lays over the view: shading and the tools. */
import ViewBar from '@/view/ViewBar.vue'
import ToolRail from './ToolRail.vue'
</script>

<template>
  <ViewBar :shadings="['weights', 'mixed', 'colour', 'clay', 'wire', 'volume']" />
  <ToolRail />
</template>
