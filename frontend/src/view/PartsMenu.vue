<script setup lang="ts">
/** Which parts of the character are drawn. What is hidden is not touched by a brush either. */
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'
import { useMending } from '@/workbench/mending'

const character = useCharacter()
const looks = useLook()
const parts = computed(() => character.figure?.parts ?? [])
const shown = computed({
  get: () => parts.value.map((p) => p.name).filter((n) => !looks.hidden.includes(n)),
  set: (names: string[]) => (looks.hidden = parts.value.map((p) => p.name).filter((n) => !names.includes(n))),
})
const mending = useMending()
const garment = ref('')
/** Half a centimetre on a grown person. */
const DEPTH = 0.003
const thin = () => mending.making((c) => api.thin(c, garment.value, DEPTH * (character.figure?.height ?? 1.7)))
</script>

<template>
  <el-popover placement="bottom-end" :width="230" trigger="click">
    <template #reference>
      <button :class="{ on: looks.hidden.length > 0 }" title="Choose which parts are drawn">Parts{{ looks.hidden.length ? ` ${shown.length}/${parts.length}` : '' }}</button>
    </template>
    <div class="parts">
      <el-checkbox-group v-model="shown">
        <el-checkbox v-for="p in parts" :key="p.name" :value="p.name" :label="p.name" />
      </el-checkbox-group>
      <div v-if="parts.length > 1 && !character.sculpting" class="thin">
        <el-select v-model="garment" :teleported="false" size="small" placeholder="thin the skin under …" aria-label="Garment to thin the skin under"><el-option v-for="p in parts" :key="p.name" :value="p.name" :label="p.name" /></el-select>
        <el-button size="small" :disabled="!garment" title="A corrective that draws the skin in by half a centimetre, for the dial that puts the garment on" @click="thin">Thin</el-button>
      </div>
      <footer>
        <el-button size="small" @click="looks.hidden = []">All</el-button>
        <el-button size="small" @click="shown = [parts[0].name]">Only {{ parts[0]?.name }}</el-button>
      </footer>
    </div>
  </el-popover>
</template>

<style scoped>
.parts :deep(.el-checkbox) { display: flex; height: 24px; }
.thin { display: grid; grid-template-columns: 1fr auto; gap: 6px; margin-top: 8px; }
footer { display: flex; gap: 6px; margin-top: 8px; }
</style>
