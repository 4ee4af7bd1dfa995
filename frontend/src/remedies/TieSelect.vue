<script setup lang="ts">
/** Which value a remedy follows: any dial, group or trigger, or none. */
import { computed } from 'vue'
import { api, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const values = computed(() => character.state?.values.filter((v) => v.kind !== 'group') ?? [])
const tie = (value: string) => character.edit((c) => api.tie(c, props.remedy.id, value || null))
</script>

<template>
  <label v-if="values.length || remedy.by">Follows
    <el-select :model-value="remedy.by ?? ''" size="small" filterable aria-label="The value that it follows" @update:model-value="tie">
      <el-option value="" label="nothing: always on" />
      <el-option v-for="v in values" :key="v.id" :value="v.id" :label="v.name" />
    </el-select>
  </label>
</template>

<style scoped>
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 4px 8px 2px 0; font-size: 12px; color: var(--muted); }
</style>
