<script setup lang="ts">
/** Keep what the pose does, a smile made with joints, as a shape on a dial of its own; then the pose is reset. */
import { ref } from 'vue'
import { api } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const name = ref<string | null>(null)
const resets = ref(true)
async function keep(): Promise<void> {
  const before = new Set(character.dials.map((d) => d.id))
  if (!(await character.edit((c) => api.keepDifference(c, name.value!.trim(), posing.pose)))) return
  const dial = character.dials.find((d) => !before.has(d.id))
  // The same look, by the dial alone: with both the movement would be applied twice.
  if (resets.value && dial) posing.go({ joints: {}, dials: { [dial.name]: 1 } })
  name.value = null
}
</script>

<template>
  <el-button v-if="name === null" :disabled="posing.atRest" title="What the joints and dials do here, over all parts, as a shape on a dial" @click="name = ''">Keep the difference</el-button>
  <form v-else class="difference" @submit.prevent="keep">
    <el-input v-model="name" size="small" maxlength="120" placeholder="Name of the movement" aria-label="Name of the movement" />
    <el-checkbox v-model="resets" size="small" label="reset the pose and set its dial: with both, it would be applied twice" />
    <span><el-button size="small" native-type="submit" type="primary" :disabled="!name.trim()">Keep</el-button><el-button size="small" text @click="name = null">Cancel</el-button></span>
  </form>
</template>

<style scoped>
.difference { flex-basis: 100%; display: grid; gap: 4px; }
.difference :deep(.el-checkbox) { height: auto; white-space: normal; }
.difference :deep(.el-checkbox__label) { white-space: normal; line-height: 1.3; }
</style>
