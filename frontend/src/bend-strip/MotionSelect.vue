<script setup lang="ts">
/** What the strip runs over: the travel of the chosen joint, a clip of the file, or motion that is brought in. */
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import MotionMap from './MotionMap.vue'

const BEND = -1
const character = useCharacter()
const posing = usePose()
const clips = computed(() => character.state?.clips ?? [])
const shown = computed(() => clips.value.findIndex((c) => c.name === posing.clip?.name))
/** The motion that is shown and was brought in, so that its joints can be mapped. */
const motion = computed(() => character.state?.motions.find((m) => m.name === posing.clip?.name) ?? null)
const picker = ref<HTMLInputElement>()
const mapping = ref(false)

async function take(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  const before = new Set(clips.value.map((c) => c.name))
  if (!(await character.edit((c) => api.bringMotion(c, file)))) return
  const fresh = clips.value.find((c) => !before.has(c.name))
  if (fresh) posing.chooseClip(fresh.name)
}
async function act(command: 'bring' | 'map' | 'delete'): Promise<void> {
  if (command === 'bring') picker.value?.click()
  else if (command === 'map') mapping.value = true
  else if (motion.value) {
    const gone = motion.value.name
    posing.chooseClip(null)
    await character.edit((c) => api.deleteMotion(c, gone))
  }
}
</script>

<template>
  <div class="motion">
    <h2 :title="plainName(posing.chosen)">{{ plainName(posing.chosen) }}</h2>
    <span class="pick">
      <el-select :model-value="shown" size="small" aria-label="Bend or clip" :disabled="character.sculpting !== null" @update:model-value="(k: number) => posing.chooseClip(clips[k]?.name ?? null)">
        <el-option :value="BEND" label="Bend" />
        <el-option v-for="(c, k) in clips" :key="c.name" :value="k" :label="c.name" />
      </el-select>
      <el-dropdown trigger="click" :disabled="character.sculpting !== null" @command="act">
        <el-button size="small" text aria-label="Motion" title="Bring in a motion, map its joints">⋯</el-button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item command="bring">Bring in a motion (.bvh) …</el-dropdown-item>
            <el-dropdown-item v-if="motion" command="map">Map its joints …</el-dropdown-item>
            <el-dropdown-item v-if="motion" command="delete">Delete “{{ motion.name }}”</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
    </span>
    <input ref="picker" type="file" accept=".bvh" hidden aria-label="Motion file" @change="take">
    <MotionMap v-if="motion" v-model="mapping" :motion="motion" />
  </div>
</template>

<style scoped>
.motion { display: flex; gap: 4px; align-items: center; justify-content: space-between; }
h2 { font-size: 13px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.pick { display: flex; flex: none; }
.el-select { width: 74px; }
.el-button { padding: 0 4px; }
</style>
