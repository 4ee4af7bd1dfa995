<script setup lang="ts">
/** The joints that left rest, each with a way back. */
import { computed } from 'vue'
import { plainName, turnDeg, twistDeg } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import TurnTogether from './TurnTogether.vue'

const character = useCharacter()
const posing = usePose()
const turned = computed(() =>
  Object.entries(posing.joints).map(([name, q]) => ({ name, degrees: character.flat ? twistDeg(q, [0, 0, 1]) : turnDeg(q) })).filter((j) => Math.abs(j.degrees) > 0.5 || j.name in posing.placed),
)
/** Dials that are not where they start. */
const dials = computed(() => character.dials.flatMap((d) => {
  const now = posing.dials[d.name]
  return now === undefined || Math.abs(now - d.start) < 1e-6 ? [] : [{ ...d, now: Math.round(now * 100) / 100 }]
}))
</script>

<template>
  <section>
    <header><h2>Pose</h2><span>{{ posing.clip ? `${posing.clip.name}, ${posing.clip.time.toFixed(2)} s` : turned.length || dials.length ? [turned.length ? `${turned.length} turned` : '', dials.length ? `${dials.length} set` : ''].filter(Boolean).join(', ') : 'at rest' }}</span></header>
    <div v-for="d in dials" :key="d.id!" class="row">
      <span class="name">{{ d.name }}</span>
      <span class="num">{{ d.now }}</span>
      <el-button size="small" text :disabled="character.sculpting !== null" @click="posing.setDial(d.name, null)">Rest</el-button>
    </div>
    <p v-if="posing.clip && !turned.length" class="muted empty">As the clip has it; what you turn goes on top.</p>
    <p v-else-if="!turned.length && !dials.length" class="muted empty">Drag an arc in the view, or along the bend strip, to bend the chosen joint.</p>
    <div class="turned">
      <div v-for="j in turned" :key="j.name" class="row" :class="{ on: j.name === posing.chosen }">
        <button class="name" :disabled="character.sculpting !== null" @click="posing.chooseJoint(j.name)">{{ plainName(j.name) }}</button>
        <span class="num">{{ j.name in posing.placed ? 'moved, ' : '' }}{{ j.degrees.toFixed(0) }}°</span>
        <el-button size="small" text :disabled="character.sculpting !== null" @click="posing.resetJoint(j.name)">Rest</el-button>
      </div>
    </div>
    <TurnTogether />
  </section>
</template>

<style scoped>
header { display: flex; justify-content: space-between; padding: 8px 14px 4px; color: var(--muted); font-size: 12px; border-top: 1px solid var(--line); }
h2 { font-size: 12px; }
.empty { padding: 0 14px; font-size: 12px; }
.turned { max-height: 168px; overflow-y: auto; }
.row { display: flex; align-items: center; gap: 6px; padding: 2px 8px 2px 11px; border-left: 3px solid transparent; }
.row.on { background: var(--raised); border-left-color: var(--accent); }
.name { flex: 1; text-align: left; background: none; border: 0; color: var(--text); font: inherit; cursor: pointer; padding: 2px 0; }
</style>
