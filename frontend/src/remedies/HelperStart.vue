<script setup lang="ts">
/** Helper joints to start from at the held bend: where they sit and how far they go is tried out by the program. */
import { ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import { useTools } from '@/workbench/tools'

type How = Schemas['StartHelper']['how']
const character = useCharacter()
const mending = useMending()
const posing = usePose()
const tools = useTools()
const busy = ref<How | ''>('')
const starts: { how: How; label: string; title: string }[] = [
  { how: 'half', label: 'Half bend', title: 'All round the joint: takes half of its turn' },
  { how: 'outside', label: 'Outside', title: 'Over the outside of the bend (knee cap, tip of the elbow, seat): half of the turn, and out of the skin' },
  { how: 'inside', label: 'Inside', title: 'In the fold (front of the hip, belly): out of the skin' },
  { how: 'front_pair', label: 'Front pair', title: 'Two at the front of a hip, one above the other: each takes its part of the bend, the lower slides out of the skin' },
  { how: 'hem', label: 'Hem', title: 'Pushes a garment’s hem out of what it would go into, as far as it has to' },
]

async function start(how: How): Promise<void> {
  busy.value = how
  await mending.making((c) => api.startHelper(c, { how, pose: posing.pose, joint: posing.chosen }))
  busy.value = ''
}
</script>

<template>
  <div class="start" role="group" aria-label="Helper joint">
    <span class="muted">Helper</span>
    <el-button v-for="s in character.flat ? [] : starts" :key="s.how" size="small" :loading="busy === s.how" v-off="posing.atRest ? 'Bend the joint first: a helper is fitted to the bend.' : ''" :disabled="busy !== ''" :title="s.title" @click="start(s.how)">{{ s.label }}</el-button>
    <el-button size="small" :type="tools.spotting ? 'primary' : ''" :aria-pressed="tools.spotting" v-off="posing.atRest ? 'Bend the joint first: a helper is fitted to the bend.' : ''" :disabled="busy !== ''" title="Click the skin: a helper joint under that spot, with the skin round it" @click="tools.spotting = !tools.spotting">At a spot</el-button>
    <p v-if="tools.spotting" class="muted" role="status">{{ character.flat ? 'Click a point of an outline: a helper joint there takes half of the turn, and what lies near along.' : 'Click the skin where the helper is to be. The brush size says how far its weights go.' }}</p>
  </div>
</template>

<style scoped>
.start { display: flex; flex-wrap: wrap; gap: 6px; align-items: center; flex-basis: 100%; font-size: 12.5px; }
.start .el-button { margin: 0; }
p { flex-basis: 100%; margin: 0; }
</style>
