<script setup lang="ts">
/** The weights of the chosen joint: locked, automatic, given, copied, evened out, mirrored, looked through. */
import { computed, ref } from 'vue'
import { api, weightsAddress, type Target } from '@/api/client'
import { plainName } from '@/workbench/angles'
import JointSelect from '@/workbench/JointSelect.vue'
import { useTools } from '@/workbench/tools'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useWork } from '@/workbench/work'
import FindingsList from './FindingsList.vue'
import VertexWeights from './VertexWeights.vue'

const character = useCharacter()
const posing = usePose()
const work = useWork()
const tools = useTools()
/** What *Give* and *Copy* are for: a part by name, or what is picked. */
const PICKED = '\u0000picked'
const onto = ref('')
const source = ref('')
const parts = computed(() => character.figure?.parts.map((p) => p.name) ?? [])
/** Joints that alone are to get automatic weights; empty = the chosen one. */
const these = ref<string[]>([])
const only = computed(() => (these.value.length ? these.value : [posing.chosen]))
const isLocked = computed(() => tools.locked.includes(posing.chosen))
const target = computed<Target>(() => (onto.value === PICKED ? tools.pickedTarget : { part: onto.value }))
const busy = computed(() => character.sculpting !== null)

const picker = ref<HTMLInputElement>()
async function takeFile(): Promise<void> {
  const file = picker.value?.files?.[0]
  if (file) await character.edit((c) => api.takeWeights(c, file))
  if (picker.value) picker.value.value = ''
}
function toggleLock(): void {
  tools.locked = isLocked.value ? tools.locked.filter((n) => n !== posing.chosen) : [...tools.locked, posing.chosen]
}
</script>

<template>
  <h2>Weights of {{ plainName(posing.chosen).toLowerCase() }}</h2>
  <p class="muted hint">Pose the joint where it looks wrong, then paint; every stroke is saved when you lift the pen.</p>
  <div class="row">
    <el-button :type="isLocked ? 'primary' : 'default'" :aria-pressed="isLocked" :disabled="!posing.chosen" @click="toggleLock">{{ isLocked ? 'Locked' : 'Lock' }}</el-button>
    <el-button v-if="tools.locked.length" text @click="tools.locked = []">Unlock all {{ tools.locked.length }}</el-button>
  </div>

  <VertexWeights />

  <h3>Automatic weights</h3>
  <template v-if="work.binding">
    <el-progress :percentage="Math.round(work.binding.share * 100)" :stroke-width="8" />
    <el-button @click="work.cancel(work.binding)">Cancel</el-button>
  </template>
  <div v-else class="row">
    <el-button type="primary" :disabled="busy || !posing.chosen" @click="work.automaticWeights(null)">All joints</el-button>
    <el-button v-if="tools.picked" :disabled="busy" @click="work.automaticWeights(null, '')">In what is picked</el-button>
  </div>
  <div v-if="!work.binding" class="row">
    <JointSelect v-model="these" multiple collapse-tags :placeholder="plainName(posing.chosen).toLowerCase()" aria-label="Joints for automatic weights" class="grow" />
    <el-button :disabled="!posing.chosen || busy" title="The others keep their proportions" @click="work.automaticWeights(only)">{{ these.length > 1 ? 'Only these' : 'Only this joint' }}</el-button>
  </div>

  <h3>A part, or what is picked</h3>
  <el-select v-model="onto" placeholder="Which" aria-label="Part" class="part">
    <el-option v-if="tools.picked" :value="PICKED" label="what is picked" />
    <el-option v-for="p in parts" :key="p" :value="p" :label="p" />
  </el-select>
  <div class="row">
    <el-button :disabled="!onto || !posing.chosen || busy" title="Let it follow this joint rigidly" @click="character.edit((c) => api.give(c, target, posing.chosen))">Give to this joint</el-button>
  </div>
  <div class="row">
    <el-select v-model="source" placeholder="from part" aria-label="Copy from part" class="grow"><el-option v-for="p in parts.filter((q) => q !== onto)" :key="p" :value="p" :label="p" /></el-select>
    <el-button :disabled="!onto || !source || busy" title="Let it follow what the closest surface of that part follows: a garment takes the weights of the body under it" @click="character.edit((c) => api.copyWeights(c, { target, from_part: source }))">Copy weights</el-button>
  </div>

  <h3>Along the bone</h3>
  <div class="row">
    <el-button :disabled="!posing.chosen || busy" title="An even gradient from one end of the bone to the other, shared with its twist joints" @click="character.edit((c) => api.evenOut(c, posing.chosen, tools.mirrored))">Even out</el-button>
  </div>

  <h3>The other side</h3>
  <div class="row">
    <el-button @click="character.edit((c) => api.mirrorWeights(c, true))">Left to right</el-button>
    <el-button @click="character.edit((c) => api.mirrorWeights(c, false))">Right to left</el-button>
  </div>

  <FindingsList />

  <h3>As a plain file</h3>
  <div class="row">
    <a class="el-button" :href="weightsAddress(character.id)" download>Weights out</a>
    <el-button :disabled="busy" title="Each vertex takes the weights of the closest surface in the file, so they survive a changed mesh" @click="picker?.click()">Take weights in</el-button>
    <input ref="picker" type="file" accept=".json" hidden aria-label="Weights file" @change="takeFile">
  </div>
</template>

<style scoped>
.part { margin-bottom: 6px; }
a.el-button { text-decoration: none; }
</style>
