<script setup lang="ts" generic="Chosen extends string | string[]">
/** Choose one joint, or several, by name: as it reads here, or as the file spells it. */
import { computed, ref } from 'vue'
import { plainName } from './angles'
import { useCharacter } from './character'

const model = defineModel<Chosen>()
const props = defineProps<{ /** A joint that is not offered. */ without?: string }>()
const character = useCharacter()
const query = ref('')
/** What people call a joint, and how the joint that turns there is named: it begins the bone below. Common practice, no source. */
const CALLED: Record<string, string[]> = {
  shoulder: ['upperarm', 'humerus'], elbow: ['forearm', 'lowerarm', 'ulna', 'radius'], wrist: ['hand'],
  hip: ['thigh', 'upperleg', 'upleg', 'femur'], knee: ['shin', 'calf', 'lowerleg', 'tibia'], ankle: ['foot'],
}
/** The names that are meant by what was typed, `left elbow` or `elb`. */
function meant(typed: string): string[][] {
  return typed.toLowerCase().split(/[^\p{L}\p{N}]+/u).filter(Boolean).map((word) => [
    word, ...Object.entries(CALLED).filter(([called]) => word.length > 1 && called.startsWith(word)).flatMap(([, names]) => names),
  ])
}
const bare = (name: string) => name.toLowerCase().replace(/[^\p{L}\p{N}]+/gu, '')
const joints = computed(() => {
  const wanted = meant(query.value)
  const fits = (name: string) => bare(name).includes(bare(query.value)) || wanted.every((names) => names.some((n) => bare(name).includes(n)))
  return (character.figure?.joints ?? []).filter((j) => j.name !== props.without && fits(j.name))
})
</script>

<template>
  <el-select v-model="model" filterable default-first-option :filter-method="(typed: string) => (query = typed)" @visible-change="query = ''">
    <slot v-if="!query" />
    <el-option v-for="j in joints" :key="j.name" :value="j.name" :label="plainName(j.name)" />
  </el-select>
</template>
