<script setup lang="ts">
/** What is begun on drawings only: fills split across a joint, and a part that comes in front of another. */
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const live = useLive()
const mending = useMending()
const posing = usePose()
const part = ref(''), other = ref(''), behind = ref(false)
const parts = computed(() => character.figure?.parts.map((p) => p.name) ?? [])
const open = computed(() => live.frame?.measures?.with.open_fill ?? 0)
const split = () => character.edit((c) => api.splitAcross(c, posing.chosen))
const order = () => mending.making((c) => api.startOrder(c, { part: part.value, other: other.value, behind: behind.value, pose: posing.pose, joint: posing.chosen }))
</script>

<template>
  <div class="start" role="group" aria-label="Fills and order">
    <p v-if="open > 0.05" class="open" role="status">Here the fill is open over {{ open.toFixed(open < 10 ? 1 : 0) }} square units: its outline crosses itself.</p>
    <el-button size="small" :type="open > 0.05 ? 'primary' : ''" :disabled="!posing.jointInfo?.bends" title="Two fills, each for its own side of the joint, their common edge without a stroke" @click="split">Split across the joint</el-button>
    <div v-if="parts.length > 1" class="order">
      <span class="muted">Paint</span>
      <el-select v-model="part" size="small" placeholder="a part" aria-label="Part to be painted elsewhere"><el-option v-for="p in parts" :key="p" :value="p" :label="p" :disabled="p === other" /></el-select>
      <el-select v-model="behind" size="small" aria-label="In front of it or behind it"><el-option :value="false" label="in front of" /><el-option :value="true" label="behind" /></el-select>
      <el-select v-model="other" size="small" placeholder="a part" aria-label="Part that it is seen against"><el-option v-for="p in parts" :key="p" :value="p" :label="p" :disabled="p === part" /></el-select>
      <el-button size="small" :disabled="!part || !other || posing.atRest" title="From the middle of this bend on" @click="order">Switch here</el-button>
    </div>
  </div>
</template>

<style scoped>
.start { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; flex-basis: 100%; font-size: 12.5px; }
.start .el-button { margin: 0; }
.open { flex-basis: 100%; margin: 0; color: var(--warn); }
.order { display: grid; grid-template-columns: auto 1fr 86px 1fr; gap: 5px; align-items: center; flex-basis: 100%; }
.order .el-button { grid-column: 2 / 4; }
</style>
