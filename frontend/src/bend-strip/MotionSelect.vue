<script setup lang="ts">
/** What the strip runs over: the travel of the chosen joint, or a clip. */
import { computed } from 'vue'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const BEND = -1
const character = useCharacter()
const posing = usePose()
const clips = computed(() => character.figure?.clips ?? [])
const shown = computed(() => clips.value.findIndex((c) => c.name === posing.clip?.name))
</script>

<template>
  <div class="motion">
    <h2>{{ plainName(posing.chosen) }}</h2>
    <el-select v-if="clips.length" :model-value="shown" size="small" aria-label="Bend or clip" :disabled="character.sculpting !== null" @update:model-value="(k: number) => posing.chooseClip(clips[k]?.name ?? null)">
      <el-option :value="BEND" label="Bend" />
      <el-option v-for="(c, k) in clips" :key="c.name" :value="k" :label="c.name" />
    </el-select>
  </div>
</template>

<style scoped>
.motion { display: flex; gap: 10px; align-items: center; justify-content: space-between; }
h2 { font-size: 14px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.el-select { width: 104px; flex: none; }
</style>
