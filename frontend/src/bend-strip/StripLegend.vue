<script setup lang="ts">
/** What the lines of the strip are. */
import { useCharacter } from '@/workbench/character'

const character = useCharacter()
</script>

<template>
  <ul class="legend">
    <li><i class="vo" />{{ character.flat ? 'area' : 'volume' }} without</li>
    <li><i class="vw" />{{ character.flat ? 'area' : 'volume' }} with</li>
    <li><i class="gw" />least {{ character.flat ? 'width' : 'girth' }} with</li>
    <li><i class="go" />least {{ character.flat ? 'width' : 'girth' }} without</li>
  </ul>
</template>

<style scoped>
.legend { list-style: none; margin: 6px 0 0; padding: 0; display: grid; gap: 1px; font-size: 12px; color: var(--muted); }
.legend i { display: inline-block; width: 18px; border-top: 2px solid; margin-right: 7px; vertical-align: 3px; }
.vo { border-color: var(--loss) !important; }
.vw { border-color: var(--text) !important; border-top-width: 3px !important; }
.gw { border-color: #a59fb1 !important; border-top-style: dashed !important; }
.go { border-color: var(--loss) !important; border-top-style: dotted !important; }
</style>
