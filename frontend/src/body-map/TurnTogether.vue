<script setup lang="ts">
/** Joints that turn by the same share as the chosen one: the rest of its chain, or what hangs beside it. */
import { computed } from 'vue'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const all = computed(() => character.figure?.joints ?? [])
const under = (index: number) => all.value.filter((j) => j.parent === index && j.bends && !j.on_bone)
/** What follows a joint along the bone, as long as one joint follows another. */
function chainOf(index: number): string[] {
  const out: string[] = []
  for (let next = under(index); next.length === 1; next = under(next[0].index)) out.push(next[0].name)
  return out
}
const chain = computed(() => (posing.jointInfo ? chainOf(posing.jointInfo.index) : []))
/** Other joints under the same one, with as long a chain: fingers beside a finger. */
const beside = computed(() => {
  const own = posing.jointInfo
  if (!own || own.parent < 0 || !chain.value.length) return []
  return under(own.parent).filter((j) => j.name !== own.name && chainOf(j.index).length === chain.value.length).map((j) => j.name)
})
const also = (names: string[]) => (posing.together = [...new Set([...posing.together, ...names])].filter((n) => n !== posing.chosen))
/** What the joints that turn together have below them and is not among them yet. */
const chains = computed(() => [posing.chosen, ...posing.together].flatMap((n) => chainOf(all.value.find((j) => j.name === n)?.index ?? -2)).filter((n) => !posing.together.includes(n) && n !== posing.chosen))
</script>

<template>
  <div v-if="posing.together.length || ((chain.length || beside.length) && !character.sculpting)" class="together">
    <template v-if="posing.together.length">
      <span :title="posing.together.map(plainName).join(', ')">{{ posing.together.length > 2 ? `${posing.together.length} joints turn` : posing.together.map(plainName).join(', ') + (posing.together.length > 1 ? ' turn' : ' turns') }} with it</span>
      <el-button v-if="chains.length" size="small" text @click="also(chains)">Their chains too</el-button>
      <el-button size="small" text @click="posing.together = []">Alone</el-button>
    </template>
    <template v-else>
      <span>Turn together with</span>
      <el-button v-if="chain.length" size="small" text :title="chain.map(plainName).join(', ')" @click="also(chain)">its chain</el-button>
      <el-button v-if="beside.length" size="small" text :title="beside.map(plainName).join(', ')" @click="also(beside)">those beside it</el-button>
    </template>
  </div>
</template>

<style scoped>
.together { display: flex; flex-wrap: wrap; align-items: center; gap: 0 4px; padding: 2px 8px 4px 14px; font-size: 12px; color: var(--muted); }
.el-button { margin: 0; padding: 0 4px; }
</style>
