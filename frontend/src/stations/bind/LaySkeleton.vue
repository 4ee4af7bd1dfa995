<script setup lang="ts">
/** A bare mesh gets the skeleton of a biped, laid between markers. */
import { ref } from 'vue'
import { api } from '@/api/client'
import { useTools } from '@/workbench/tools'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'

const character = useCharacter()
const looks = useLook()
const tools = useTools()
const twists = ref(2)
const first = ref('root')

async function lay(): Promise<void> {
  const markers = tools.markers
  if (!markers) return
  if (!(await character.edit((c) => api.laySkeleton(c, markers, twists.value)))) return
  tools.markers = null
  looks.shading = 'weights'
}
async function makeFirst(): Promise<void> {
  const at: [number, number, number] = [0, 0.5 * (character.figure?.height ?? 1), 0]
  await character.edit((c) => api.makeJoint(c, { name: first.value.trim(), parent: null, at, mirror: false }))
}
</script>

<template>
  <h2>Lay a skeleton</h2>
  <template v-if="character.flat">
    <p class="muted hint">This drawing has no joints yet, so nothing can bend. Click along each limb, from the trunk outwards: every click makes a joint that hangs on the one before. Choose another joint to branch off from it.</p>
    <h3>Name of the next joints</h3>
    <el-input v-model="tools.jointName" maxlength="120" placeholder="joint" aria-label="Name of the next joints" />
    <div class="row done"><el-button type="primary" :disabled="tools.making" @click="tools.tool = 'make'">{{ tools.making ? 'Click in the drawing' : 'Make joints by clicks' }}</el-button></div>
  </template>
  <template v-else-if="!tools.markers">
    <p class="muted hint">This character has no joints yet, so nothing can bend.</p>
    <el-button type="primary" @click="tools.beginLaying()">Place markers of a biped</el-button>
    <h3>Or joint by joint</h3>
    <form class="row" @submit.prevent="makeFirst">
      <el-input v-model="first" maxlength="120" aria-label="Name of the first joint" class="grow" />
      <el-button native-type="submit" :disabled="!first.trim()">Make</el-button>
    </form>
  </template>
  <template v-else>
    <p class="muted hint">Drag each marker to its joint; over the skin it goes to the middle of the limb. The other side is mirrored. Look from the side, too.</p>
    <h3>Twist joints in each limb bone</h3>
    <el-input-number v-model="twists" :min="0" :max="4" size="small" controls-position="right" aria-label="Twist joints in each limb bone" />
    <div class="row done">
      <el-button type="primary" @click="lay">Lay the skeleton</el-button>
      <el-button @click="tools.markers = null">Not now</el-button>
    </div>
    <p class="muted hint">Afterwards joints are moved one by one, and Weights makes the skin follow.</p>
  </template>
</template>

<style scoped>
.done { margin-top: 14px; }
</style>
