<script setup lang="ts">
/** What Bind lays over the view: shading and the tools. */
import { useCharacter } from '@/workbench/character'
import ViewBar from '@/view/ViewBar.vue'
import ToolRail from './ToolRail.vue'

const character = useCharacter()
</script>

<template>
  <ViewBar :shadings="character.flat ? ['weights', 'colour', 'wire'] : ['weights', 'mixed', 'colour', 'clay', 'checker', 'wire', 'volume']" />
  <ToolRail />
</template>
