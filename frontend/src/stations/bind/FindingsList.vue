<script setup lang="ts">
/** What is wrong with the weights: each with a way to look at it and, where there is one, to mend it. */
import { ref, watch } from 'vue'
import { api, Problem, type WeightFinding } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { say, useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLook } from '@/workbench/look'

const character = useCharacter()
const posing = usePose()
const looks = useLook()
const findings = ref<WeightFinding[] | null>(null)
const looking = ref(false)
type Mendable = Exclude<WeightFinding['kind'], 'unnormalised'>
const words: Record<WeightFinding['kind'], string> = {
  unnormalised: 'Did not sum to 1, mended on reading',
  stray: 'Stray weight',
  over_limit: 'More than 4 joints',
  unmirrored: 'Sides differ',
  hard_step: 'Hard step',
}
const how: Record<Mendable, string> = {
  stray: 'The other joints take its place',
  over_limit: 'The smallest weights go, what is left is scaled up',
  unmirrored: 'The left side is carried over to the right',
  hard_step: 'Smoothed over two rings round it',
}
async function look(): Promise<void> {
  looking.value = true
  try {
    findings.value = await api.weightFindings(character.id)
  } catch (error) {
    say(error instanceof Problem ? error : new Problem('The weights could not be looked through.'))
  } finally {
    looking.value = false
  }
}
async function mend(finding: WeightFinding): Promise<void> {
  const body = { kind: finding.kind as Mendable, joint: finding.joint }
  if (await character.edit((c) => api.mendWeights(c, body))) await look()
}
function show(finding: WeightFinding): void {
  if (finding.joint) posing.chooseJoint(finding.joint)
  looks.showPlace(finding.at as [number, number, number])
}
/** A list that no longer fits is worse than none. */
watch(() => character.state?.version, () => (findings.value = null))
</script>

<template>
  <h3>What is wrong</h3>
  <el-button :loading="looking" @click="look">Look through the weights</el-button>
  <p v-if="findings?.length === 0" class="good" role="status">Nothing found: no stray weights, no hard steps, both sides alike.</p>
  <ul v-if="findings?.length">
    <li v-for="(f, k) in findings" :key="k" data-finding>
      <div><b>{{ words[f.kind] }}</b><span class="muted">{{ f.joint ? plainName(f.joint) : 'all joints' }}, {{ f.vertices }} {{ f.vertices === 1 ? 'vertex' : 'vertices' }}<template v-if="f.kind === 'over_limit'">; a delivery keeps the largest 4</template></span></div>
      <el-button size="small" @click="show(f)">Show</el-button>
      <el-button v-if="f.kind !== 'unnormalised'" size="small" :title="how[f.kind]" @click="mend(f)">Mend</el-button>
    </li>
  </ul>
</template>

<style scoped>
.good { color: var(--accent); font-size: 12.5px; margin-top: 6px; }
</style>
