<script setup lang="ts">
/** What Mend lays over the view: shading, without and with, the brushes, the measures. */
import { onBeforeUnmount } from 'vue'
import OutlineRail from '@/drawing/OutlineRail.vue'
import BrushRail from '@/sculpt/BrushRail.vue'
import MaskRail from '@/remedies/MaskRail.vue'
import CompareBar from '@/view/CompareBar.vue'
import LiveMeasures from '@/view/LiveMeasures.vue'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'

const character = useCharacter()
const looks = useLook()
onBeforeUnmount(() => (looks.mask = looks.lone = null))
</script>

<template>
  <CompareBar :shadings="['colour', 'clay', 'checker', 'wire', 'volume']" />
  <OutlineRail v-if="character.sculpting && character.flat" />
  <BrushRail v-else-if="character.sculpting" />
  <MaskRail v-else-if="looks.mask" />
  <LiveMeasures />
</template>
