<script setup lang="ts">
/**
 * The skeleton from the front, or a corner. Where the character was swept each ring has an arc a direction, as long as
 * that is bad with remedies; else one gap, how bad the joint was at worst on the bend strip.
 */
import { badnessText } from '@/bend-strip/badness'
import { computed } from 'vue'
import { api } from '@/api/client'
import { plainName } from '@/workbench/angles'
import JointSelect from '@/workbench/JointSelect.vue'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLook } from '@/workbench/look'
import { familyOf, turnOf, useTrouble } from '@/workbench/trouble'

const character = useCharacter()
const posing = usePose()
const looks = useLook()
const trouble = useTrouble()
const WIDTH = 236, HEIGHT = 270, PAD = 22, APART = 19, R = 8
const ROUND = 2 * Math.PI * R

/** Joints from the root outwards; twist joints, and those that would cover another (fingers), are left to the list. */
const map = computed(() => {
  const joints = (character.figure?.joints ?? []).filter((j) => !j.on_bone).map((j) => ({ ...j, at: character.upright(j.at) }))
  if (!joints.length) return { rings: [], lines: [] }
  // From the front; what is longer than broad, on four legs, is seen from a corner, or its legs would cover each other.
  const span = (k: number) => Math.max(...joints.map((j) => j.at[k])) - Math.min(...joints.map((j) => j.at[k]))
  const corner = span(2) > 1.5 * span(0) ? 0.7 : 0
  const across = (at: number[]) => at[0] + corner * at[2]
  const xs = joints.map((j) => across(j.at)), ys = joints.map((j) => j.at[1])
  const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)]
  const scale = Math.min((WIDTH - 2 * PAD) / Math.max(x1 - x0, 1e-6), (HEIGHT - 2 * PAD) / Math.max(y1 - y0, 1e-6))
  const place = (at: number[]) => ({
    x: WIDTH / 2 + (across(at) - (x0 + x1) / 2) * scale,
    y: HEIGHT / 2 - (at[1] - (y0 + y1) / 2) * scale,
  })
  const children = new Map<number, number>(), below = new Map<number, number>()
  const up = new Map(joints.map((j) => [j.index, j.parent]))
  for (const j of joints) {
    children.set(j.parent, (children.get(j.parent) ?? 0) + 1)
    for (let k = j.parent; k >= 0; k = up.get(k) ?? -1) below.set(k, (below.get(k) ?? 0) + 1)
  }
  // Limbs come first, from the trunk outwards: that is where skin bends. Then where the trunk branches, then the rest of it.
  const middle = character.figure?.mirror_x ?? 0
  const sideways = (j: (typeof joints)[number]) => Number(Math.abs(j.at[0] - middle) * scale > R / 2)
  const count = (of: Map<number, number>, j: (typeof joints)[number]) => of.get(j.index) ?? 0
  const ranked = [...joints].sort((a, b) => sideways(b) - sideways(a)
    || (sideways(a) ? count(below, b) - count(below, a) : count(children, b) - count(children, a)) || a.index - b.index)
  const rings: { name: string; index: number; parent: number; x: number; y: number }[] = []
  for (const j of ranked) {
    const at = place(j.at)
    if (rings.every((r) => Math.hypot(r.x - at.x, r.y - at.y) >= APART)) rings.push({ name: j.name, index: j.index, parent: j.parent, ...at })
  }
  const shown = new Map(rings.map((r) => [r.index, r]))
  const holder = (r: { parent: number }) => {
    let found = r.parent
    while (found >= 0 && !shown.has(found)) found = up.get(found) ?? -1
    return shown.get(found)
  }
  // Where the joint that holds several has no ring (the pelvis), they meet at the one in the middle.
  const tops = rings.filter((r) => !holder(r))
  const hub = tops.reduce((best, r) => (Math.abs(r.x - WIDTH / 2) < Math.abs(best.x - WIDTH / 2) ? r : best), tops[0])
  const lines = rings.flatMap((r) => {
    const to = holder(r) ?? (r === hub ? undefined : hub)
    return to ? [{ key: r.name, x1: r.x, y1: r.y, x2: to.x, y2: to.y }] : []
  })
  return { rings, lines }
})
/** Whoever has found a joint goes on in the view: the keyboard is its again. */
function found(name: string | undefined): void {
  if (!name) return
  posing.chooseJoint(name)
  requestAnimationFrame(() => (document.activeElement as HTMLElement | null)?.blur())
}
const stand = () => character.edit((c) => api.stand(c, 'z'))
interface Arc { key: string; length: number; from: number; family: string }
/** The arcs of a ring: the worst of a joint's directions begins at the top, the others follow clockwise. */
function arcs(name: string): Arc[] {
  const worst = looks.worst[name]
  if (!trouble.sweep?.swept) return worst ? [{ key: name, length: Math.min(0.95, worst.percent / 100) * ROUND, from: 0, family: worst.measure.endsWith('_gain') ? 'swelling' : 'loss' }] : []
  const spots = trouble.byJoint[name] ?? [], slot = 1 / Math.max(spots.length, 1)
  return spots.map((spot, k) => ({ key: spot.id, length: 0.92 * slot * (spot.badness.with_remedies / 100) * ROUND, from: 360 * slot * k, family: familyOf(spot) }))
}
const label = (name: string) => {
  const spots = trouble.byJoint[name]?.filter((spot) => spot.badness.with_remedies > 0) ?? []
  if (spots.length) return `${plainName(name)}: ${spots.map((spot) => `${turnOf(spot)}, badness ${Math.round(spot.badness.with_remedies)}`).join('; ')}`
  if (trouble.sweep?.swept) return `${plainName(name)}: within all bounds`
  const worst = looks.worst[name]
  if (!worst) return plainName(name)
  return worst.percent > 0 ? `${plainName(name)}: ${badnessText(worst)} at worst` : `${plainName(name)}: within all bounds`
}
</script>

<template>
  <section>
    <header><h2>Body map</h2><span>{{ trouble.sweep?.swept ? 'swept' : 'worst seen' }}</span></header>
    <p v-if="character.figure?.lies && character.state?.up === 'y'" class="lies">
      It lies on its back. <el-button size="small" @click="stand">Stand it up</el-button>
    </p>
    <p v-if="!map.rings.length" class="muted none">No joints yet: lay a skeleton in Bind.</p>
    <svg v-else :width="WIDTH" :height="HEIGHT" role="group" aria-label="Joints">
      <line v-for="l in map.lines" :key="l.key" :x1="l.x1" :y1="l.y1" :x2="l.x2" :y2="l.y2" class="bone" />
      <g
        v-for="r in map.rings" :key="r.name" class="ring" :class="{ on: r.name === posing.chosen }" role="button" tabindex="0"
        :aria-label="label(r.name)" :data-ring="r.name"
        @click="!character.sculpting && posing.chooseJoint(r.name)" @keydown.enter="!character.sculpting && posing.chooseJoint(r.name)"
      >
        <title>{{ label(r.name) }}</title>
        <circle :cx="r.x" :cy="r.y" :r="R" class="base" />
        <circle v-for="a in arcs(r.name)" :key="a.key" :cx="r.x" :cy="r.y" :r="R" class="gap" :class="a.family" :stroke-dasharray="`${a.length} ${ROUND}`" :transform="`rotate(${a.from - 90} ${r.x} ${r.y})`" />
        <circle v-if="r.name === posing.chosen" :cx="r.x" :cy="r.y" :r="R + 5" class="halo" />
      </g>
    </svg>
    <div class="search">
      <JointSelect
        :model-value="posing.chosen" size="small" placeholder="Find a joint" aria-label="Find a joint"
        :disabled="character.sculpting !== null" @update:model-value="found"
      />
    </div>
  </section>
</template>

<style scoped>
header { display: flex; justify-content: space-between; padding: 10px 14px 0; color: var(--muted); font-size: 12px; }
h2 { font-size: 12px; }
.bone { stroke: #6f6880; stroke-width: 2; }
.base { fill: var(--panel); stroke: #7d7690; stroke-width: 3; }
.gap { fill: none; stroke: var(--warn); stroke-width: 3; }
.gap.loss { stroke: var(--loss); }
.gap.swelling { stroke: var(--gain); }
.halo { fill: none; stroke: var(--accent); stroke-width: 1.5; }
.ring { cursor: pointer; }
.ring:hover .base { stroke: #b3acc2; }
.ring:focus-visible { outline: none; }
.ring:focus-visible .base { stroke: var(--accent); }
.lies { display: flex; gap: 8px; align-items: center; padding: 6px 14px 0; font-size: 12.5px; }
.none { padding: 10px 14px; font-size: 12.5px; }
.search { padding: 0 14px 8px; }
</style>
