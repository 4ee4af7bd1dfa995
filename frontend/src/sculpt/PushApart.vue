<script setup lang="ts">
/** Push apart what crosses at the chosen joint, with how far it has got; and what the sculpt did to borders. */
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { say, useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { usePose } from '@/workbench/pose'
import { useTools } from '@/workbench/tools'

const character = useCharacter()
const live = useLive()
const looks = useLook()
const posing = usePose()
const tools = useTools()
const now = ref<Schemas['PushedApart'] | null>(null)
const told = ref('')
let running: AbortController | null = null
const crossing = computed(() => live.contacts?.with ?? 0)
const moved = computed(() => character.sculpting?.border_moved ?? 0)

function stop(): void {
  running?.abort()
  running = now.value = null
}
onBeforeUnmount(stop)

async function run(): Promise<void> {
  const mine = (running = new AbortController())
  told.value = ''
  now.value = { left: crossing.value, share: 0 }
  try {
    await api.pushApart(character.id, posing.chosen, tools.borderStays, (step) => {
      if (mine.signal.aborted) return
      now.value = step
      if (!step.state) return
      void character.take(step.state)
      told.value = step.left ? `${step.left} pairs of triangles still cross here: the brush may get further, or a little less bend.` : 'Nothing crosses here any more.'
    }, mine.signal)
  } catch (error) {
    if (!mine.signal.aborted) say(error)
  } finally {
    if (running === mine) stop()
  }
}
</script>

<template>
  <!-- First, so that a count that comes in meanwhile moves no button away from under the pointer. -->
  <p v-if="moved" role="status">
    <b class="num">{{ moved }}</b> border {{ moved === 1 ? 'vertex has' : 'vertices have' }} moved.
    <el-button size="small" text :aria-pressed="looks.border" @click="looks.border = !looks.border">{{ looks.border ? 'Hide' : 'Show' }}</el-button>
    <el-button size="small" @click="character.edit((c) => api.borderBack(c))">Put back</el-button>
  </p>
  <div v-if="now" class="line">
    <el-progress :percentage="Math.round(now.share * 100)" :show-text="false" :stroke-width="4" aria-label="Pushing apart" />
    <span><b class="num">{{ now.left ?? crossing }}</b> pairs still cross</span>
    <el-button size="small" text @click="stop">Cancel</el-button>
  </div>
  <p v-else-if="crossing && posing.chosen">
    <b class="num loss">{{ crossing }}</b> triangles cross. <el-button size="small" title="Move what has gone through other skin back out of it, in the chosen joint's region" @click="run">Push apart</el-button>
  </p>
  <p v-if="told && !now" role="status" class="muted">{{ told }}</p>
</template>

<style scoped>
p { font-size: 12.5px; margin: 6px 0; }
.loss { color: var(--loss); }
.line { display: grid; grid-template-columns: 1fr auto auto; gap: 8px; align-items: center; font-size: 12px; margin: 6px 0; }
</style>
