<script setup lang="ts">
/** What is picked: by stroke, piece, loop, part or joint; grown, shrunk, softened; kept under a name and used. */
import { computed, ref } from 'vue'
import { api, type PickBody } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useTools } from '@/workbench/tools'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useWork } from '@/workbench/work'

const character = useCharacter()
const posing = usePose()
const work = useWork()
const tools = useTools()
const part = ref('')
const name = ref('')
const width = ref(5) // centimetres of someone 178 cm tall; of a drawing, percent of its height
const least = ref(0.5)
const parts = computed(() => character.figure?.parts.map((p) => p.name) ?? [])

function pick(by: PickBody['by'], called: string, how: PickBody['how'] = 'add') {
  const body = { by, how, name: called, least: least.value, triangle: -1, at: [0, 0, 0] as [number, number, number], pose: { joints: {} }, mirror: tools.mirrored && by === 'joint' }
  return character.edit((c) => api.pick(c, body))
}
const reshape = (how: 'grow' | 'shrink' | 'soften' | 'invert' | 'none') =>
  character.edit((c) => api.reshapeRegion(c, how, (width.value / 100) * (character.flat ? character.figure!.height : character.sizeFactor)))
async function keep(): Promise<void> {
  if (await character.edit((c) => api.keepRegion(c, name.value.trim()))) name.value = ''
}
</script>

<template>
  <h2>Region</h2>
  <p class="muted hint">
    {{ tools.picked ? `${tools.picked} vertices are picked.` : 'Nothing is picked. Take Pick and stroke over the skin; two clicks on an edge pick its loop.' }}
  </p>

  <h3>Pick more</h3>
  <div class="row">
    <el-select v-model="part" placeholder="Part" aria-label="Part to pick" class="grow"><el-option v-for="p in parts" :key="p" :value="p" :label="p" /></el-select>
    <el-button :disabled="!part" @click="pick('part', part)">Pick part</el-button>
  </div>
  <div v-if="posing.chosen" class="row">
    <el-button class="grow" :title="`Whatever follows ${plainName(posing.chosen).toLowerCase()} with this weight or more`" @click="pick('joint', posing.chosen)">What follows {{ plainName(posing.chosen).toLowerCase() }}</el-button>
    <el-input-number v-model="least" :min="0.01" :max="1" :step="0.05" :precision="2" size="small" controls-position="right" aria-label="Least weight" class="small" />
  </div>
  <div class="row">
    <el-button @click="reshape('invert')">Invert</el-button>
    <el-button :disabled="!tools.picked" @click="reshape('none')">Clear</el-button>
  </div>

  <h3>Its border</h3>
  <div class="row">
    <el-button :disabled="!tools.picked" @click="reshape('grow')">Grow</el-button>
    <el-button :disabled="!tools.picked" @click="reshape('shrink')">Shrink</el-button>
  </div>
  <div class="row">
    <el-button :disabled="!tools.picked" @click="reshape('soften')">Soften</el-button>
    <span>over</span>
    <el-input-number v-model="width" :min="0.5" :max="50" :step="1" :precision="1" size="small" controls-position="right" :aria-label="character.flat ? 'Width of the soft border, percent of the height' : 'Width of the soft border, cm'" class="small" />
    <span>{{ character.flat ? '% of its height' : 'cm' }}</span>
  </div>

  <h3>Do to all of it</h3>
  <div class="row">
    <el-button :disabled="!tools.picked || !posing.chosen" :title="`Weight of ${plainName(posing.chosen).toLowerCase()} to the value`" @click="tools.fill('replace', tools.pickedTarget)">Fill with {{ tools.paintValue.toFixed(2) }}</el-button>
    <el-slider v-model="tools.paintValue" :min="0" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Value to fill with" class="grow value" />
  </div>
  <div class="row">
    <el-button :disabled="!tools.picked || !posing.chosen" @click="tools.fill('smooth', tools.pickedTarget)">Smooth</el-button>
    <el-button :disabled="!tools.picked || !posing.chosen" @click="tools.fill('even', tools.pickedTarget)">Gradient</el-button>
    <el-button :disabled="!tools.picked || !posing.chosen" @click="character.edit((c) => api.give(c, tools.pickedTarget, posing.chosen))">Give to {{ plainName(posing.chosen).toLowerCase() }}</el-button>
    <el-button :disabled="!tools.picked || work.binding !== null" @click="work.automaticWeights(null, '')">Automatic</el-button>
  </div>

  <h3>Keep it</h3>
  <form class="row" @submit.prevent="keep">
    <el-input v-model="name" placeholder="Name of the region" maxlength="120" aria-label="Name of the region" class="grow" />
    <el-button native-type="submit" :disabled="!tools.picked || !name.trim()">Keep</el-button>
  </form>
  <ul v-if="tools.kept.length">
    <li v-for="r in tools.kept" :key="r.name" data-region>
      <div><b>{{ r.name }}</b><span class="muted">{{ r.vertices }} vertices</span></div>
      <el-button size="small" @click="pick('region', r.name, 'only')">Pick</el-button>
      <el-button size="small" text @click="character.edit((c) => api.deleteRegion(c, r.name))">Delete</el-button>
    </li>
  </ul>
  <p v-else class="muted hint">Kept regions can hold a brush inside or outside of them, in Mend too.</p>
</template>

<style scoped>
.small { width: 84px; }
.value { margin-right: 8px; }
</style>
