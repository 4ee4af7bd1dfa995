<script setup lang="ts">
/** The brush for the mask of a remedy, and quick ways to fill it. */
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import BrushNumbers from '@/view/BrushNumbers.vue'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'
import { usePose } from '@/workbench/pose'
import { useTools, type MaskMode } from '@/workbench/tools'

const character = useCharacter()
const looks = useLook()
const posing = usePose()
const tools = useTools()
const modes: { mode: MaskMode; label: string; hint: string }[] = [
  { mode: 'add', label: 'Add', hint: 'More of the mask; with Shift, less' },
  { mode: 'take', label: 'Take away', hint: 'Less of the mask; with Shift, more' },
  { mode: 'smooth', label: 'Smooth', hint: 'Even the mask out over the surface' },
]
const remedy = computed(() => character.state?.remedies.find((r) => r.id === looks.mask))
const parts = computed(() => character.figure?.parts.map((p) => p.name) ?? [])
const set = (how: Schemas['MaskChange']['how'], name = '') => character.edit((c) => api.setMask(c, looks.mask!, how, name))
function fill(command: string): void {
  const [how, name] = command.split('\n')
  void set(how as Schemas['MaskChange']['how'], name)
}
</script>

<template>
  <div class="rail rail-buttons" role="radiogroup" aria-label="Brush for the mask">
    <button v-for="m in modes" :key="m.mode" role="radio" :aria-checked="tools.maskMode === m.mode" :class="{ on: tools.maskMode === m.mode }" :title="m.hint" @click="tools.maskMode = m.mode">{{ m.label }}</button>
  </div>
  <div class="bar" role="group" aria-label="Mask">
    <span>Mask of <b>{{ remedy?.name }}</b>, <span class="num">{{ remedy?.masked ?? 0 }}</span> vertices</span>
    <el-button size="small" @click="set('soften')">Soften</el-button>
    <el-dropdown trigger="click" max-height="320px" @command="fill">
      <el-button size="small">Fill ▾</el-button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item v-if="posing.chosen" :command="`joint\n${posing.chosen}`">What {{ plainName(posing.chosen).toLowerCase() }} bends</el-dropdown-item>
          <el-dropdown-item command="picked" :disabled="!tools.picked">What is picked</el-dropdown-item>
          <el-dropdown-item v-for="r in tools.kept" :key="r.name" :command="`region\n${r.name}`">Region: {{ r.name }}</el-dropdown-item>
          <el-dropdown-item v-for="p in parts" :key="p" :command="`part\n${p}`">Part: {{ p }}</el-dropdown-item>
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <el-button size="small" @click="set('clear')">Clear</el-button>
    <el-button size="small" type="primary" @click="looks.mask = null">Done</el-button>
  </div>
  <BrushNumbers class="beside" />
</template>

<style scoped>
.rail { top: 84px; }
.bar { position: absolute; left: 12px; top: 12px; display: flex; gap: 8px; align-items: center; background: #26232de6; border: 1px solid var(--line); border-radius: 4px; padding: 4px 10px; font-size: 12px; color: var(--muted); max-width: calc(100% - 340px); flex-wrap: wrap; }
.bar b { color: var(--text); font-weight: 500; }
.bar .el-button { margin: 0; }
/* The table of measures stands in the right corner. */
.beside { max-width: calc(100% - 250px); }
</style>
