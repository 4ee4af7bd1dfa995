<script setup lang="ts">
/** Which parts of the character are drawn. What is hidden is not touched by a brush either. */
import { computed } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'

const character = useCharacter()
const looks = useLook()
const parts = computed(() => character.figure?.parts ?? [])
const shown = computed({
  get: () => parts.value.map((p) => p.name).filter((n) => !looks.hidden.includes(n)),
  set: (names: string[]) => (looks.hidden = parts.value.map((p) => p.name).filter((n) => !names.includes(n))),
})
</script>

<template>
  <el-popover placement="bottom-end" :width="200" trigger="click">
    <template #reference>
      <button :class="{ on: looks.hidden.length > 0 }" title="Choose which parts are drawn">Parts{{ looks.hidden.length ? ` ${shown.length}/${parts.length}` : '' }}</button>
    </template>
    <div class="parts">
      <el-checkbox-group v-model="shown">
        <el-checkbox v-for="p in parts" :key="p.name" :value="p.name" :label="p.name" />
      </el-checkbox-group>
      <footer>
        <el-button size="small" @click="looks.hidden = []">All</el-button>
        <el-button size="small" @click="shown = [parts[0].name]">Only {{ parts[0]?.name }}</el-button>
      </footer>
    </div>
  </el-popover>
</template>

<style scoped>
.parts :deep(.el-checkbox) { display: flex; height: 24px; }
footer { display: flex; gap: 6px; margin-top: 8px; }
</style>
