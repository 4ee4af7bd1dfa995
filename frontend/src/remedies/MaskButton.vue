<script setup lang="ts">
/** Shows the mask of a remedy on the skin and puts the brush over it. */
import type { RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const looks = useLook()
const toggle = () => (looks.mask = looks.mask === props.remedy.id ? null : props.remedy.id)
</script>

<template>
  <el-button size="small" :type="looks.mask === remedy.id ? 'primary' : ''" :aria-pressed="looks.mask === remedy.id" :disabled="character.sculpting !== null" title="See its mask on the skin, paint it, soften it, fill it" @click="toggle">Paint the mask</el-button>
</template>
