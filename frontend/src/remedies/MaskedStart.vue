<script setup lang="ts">
/** What acts under a mask, on all the skin that the chosen joint bends. */
import { api, type Schemas } from '@/api/client'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

const mending = useMending()
const posing = usePose()
const starts: { kind: Schemas['AddMasked']['kind']; label: string; title: string }[] = [
  { kind: 'skin_blend', label: 'Skin blend', title: 'Dual quaternion skinning on all the skin that this joint bends, with a soft border' },
  { kind: 'relaxer', label: 'Relaxer', title: 'Evens out the posed skin at this joint and puts the rest detail back' },
  { kind: 'volume_keeper', label: 'Volume keeper', title: 'Holds the volume of the skin at this joint in every frame' },
]
</script>

<template>
  <div class="start" role="group" aria-label="On this joint">
    <span class="muted">On this joint</span>
    <el-button v-for="s in starts" :key="s.kind" size="small" v-off="posing.jointInfo?.bends ? '' : 'This joint bends no skin.'" :title="s.title" @click="mending.making((c) => api.addMasked(c, s.kind, posing.chosen))">{{ s.label }}</el-button>
  </div>
</template>

<style scoped>
.start { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; flex-basis: 100%; font-size: 12.5px; }
.start .el-button { margin: 0; }
</style>
