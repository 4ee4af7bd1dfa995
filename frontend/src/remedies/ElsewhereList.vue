<script setup lang="ts">
/** The joints that have remedies besides the chosen one, those that act in this pose first; a click goes to the joint. */
import { computed } from 'vue'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLive } from '@/workbench/live'
import { hingeOf, useMending } from '@/workbench/mending'

const character = useCharacter()
const posing = usePose()
const live = useLive()
const mending = useMending()
const joints = computed(() => {
  const acting = live.frame?.activations ?? {}
  const byJoint = new Map<string, { joint: string; names: string[]; most: number }>()
  for (const r of mending.elsewhere) {
    const joint = hingeOf(r)?.joint ?? r.joints[0]
    const row = byJoint.get(joint) ?? { joint, names: [], most: 0 }
    row.names.push(r.name)
    row.most = Math.max(row.most, r.on ? (acting[r.id] ?? 0) : 0)
    byJoint.set(joint, row)
  }
  return [...byJoint.values()].sort((a, b) => Number(b.most > 0.005) - Number(a.most > 0.005))
})
</script>

<template>
  <section v-if="joints.length">
    <header><h2>Elsewhere</h2><span class="muted">{{ mending.elsewhere.length }}</span></header>
    <button v-for="row in joints" :key="row.joint" :class="{ acts: row.most > 0.005 }" :disabled="character.sculpting !== null" :title="row.names.join(', ')" @click="posing.chooseJoint(row.joint)">
      <span class="name">{{ plainName(row.joint) }}</span>
      <span class="muted">{{ row.names.length }}</span>
      <span class="num share">{{ Math.round(row.most * 100) }} %</span>
      <i :style="{ width: `${row.most * 100}%` }" />
    </button>
  </section>
</template>

<style scoped>
section { margin-top: 18px; }
header { display: flex; justify-content: space-between; align-items: baseline; margin-bottom: 4px; }
h2 { font-size: 14px; }
button { position: relative; display: grid; grid-template-columns: 1fr auto 44px; gap: 10px; width: 100%; align-items: baseline; background: none; border: 0; border-bottom: 1px solid var(--line); color: var(--muted); font: inherit; font-size: 12.5px; padding: 4px 2px; text-align: left; cursor: pointer; }
button:disabled { cursor: default; }
button:enabled:hover { background: var(--raised); color: var(--text); }
.acts { color: var(--text); }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.share { text-align: right; }
i { position: absolute; left: 0; bottom: -1px; height: 2px; background: var(--accent); }
</style>
