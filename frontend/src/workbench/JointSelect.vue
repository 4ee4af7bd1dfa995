<script setup lang="ts" generic="Chosen extends string | string[]">
/** Choose one joint, or several, by name: as it reads here, or as the file spells it. */
import { computed, ref } from 'vue'
import { plainName } from './angles'
import { useCharacter } from './character'

const model = defineModel<Chosen>()
const props = defineProps<{ /** A joint that is not offered. */ without?: string }>()
const character = useCharacter()
const query = ref('')
const bare = (name: string) => name.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, '')
const joints = computed(() => {
  const wanted = bare(query.value)
  return (character.figure?.joints ?? []).filter((j) => j.name !== props.without && bare(j.name).includes(wanted))
})
</script>

<template>
  <el-select v-model="model" filterable :filter-method="(typed: string) => (query = typed)" @visible-change="query = ''">
    <slot v-if="!query" />
    <el-option v-for="j in joints" :key="j.name" :value="j.name" :label="plainName(j.name)" />
  </el-select>
</template>
