<script setup lang="ts">
/** Helper joints to start from at the held bend: where they sit and how far they go is tried out by the program. */
import { ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

type How = Schemas['StartHelper']['how']
const character = useCharacter()
const mending = useMending()
const posing = usePose()
const busy = ref<How | ''>('')
const starts: { how: How; label: string; title: string }[] = [
  { how: 'half', label: 'Half bend', title: 'All round the joint: takes half of its turn' },
  { how: 'outside', label: 'Outside', title: 'Over the outside of the bend (knee cap, tip of the elbow, seat): half of the turn, and out of the skin' },
  { how: 'inside', label: 'Inside', title: 'In the fold (front of the hip, belly): out of the skin' },
]

async function start(how: How): Promise<void> {
  const known = new Set(character.state?.remedies.map((r) => r.id))
  busy.value = how
  if (await character.edit((c) => api.startHelper(c, how, posing.pose, posing.chosen))) {
    const made = character.state?.remedies.find((r) => !known.has(r.id))
    if (made) mending.chosenRemedy = made.id
  }
  busy.value = ''
}
</script>

<template>
  <div class="start" role="group" aria-label="Helper joint">
    <span class="muted">Helper</span>
    <el-button v-for="s in starts" :key="s.how" size="small" :loading="busy === s.how" :disabled="posing.atRest || busy !== ''" :title="s.title" @click="start(s.how)">{{ s.label }}</el-button>
  </div>
</template>

<style scoped>
.start { display: flex; gap: 6px; align-items: center; flex-basis: 100%; font-size: 12.5px; }
.start .el-button { margin: 0; }
</style>
