<script setup lang="ts">
/** The trouble list: where the character is worst, by how much, and what became of it; a click goes there. */
import { computed, nextTick, ref, watch } from 'vue'
import { api } from '@/api/client'
import { measured, measureName } from '@/bend-strip/badness'
import { usePlainKeys } from '@/workbench/keys'
import { usePose } from '@/workbench/pose'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useWork } from '@/workbench/work'
import { familyOf, spotName, spotWhere, useTrouble } from '@/workbench/trouble'
import SpotCurve from './SpotCurve.vue'
import SpotDetail from './SpotDetail.vue'

const trouble = useTrouble()
const character = useCharacter()
const posing = usePose()
const work = useWork()
const here = ref(false)
const state = ref<'open' | 'mended' | 'accepted' | 'all'>('open')
const family = ref('')
const families = [
  { value: 'loss', label: 'Loss and pinch' }, { value: 'swelling', label: 'Swelling' }, { value: 'skin', label: 'Stretch and folds' },
  { value: 'contact', label: 'Contacts and clipping' },
]
const found = computed(() => trouble.spots.filter((spot) =>
  (state.value === 'all' || spot.state === state.value) && (!family.value || familyOf(spot) === family.value) && (!here.value || spot.joints.includes(posing.chosen))))
const shown = ref(60)
const listed = computed(() => found.value.slice(0, shown.value))
const total = computed(() => trouble.sweep?.total)
const count = (wanted: string) => trouble.spots.filter((spot) => spot.state === wanted).length
const older = computed(() => (trouble.sweep?.older ?? 0) + (trouble.sweep?.missing ?? 0))
const list = ref<HTMLElement | null>(null)
/** What is gone to is seen with all that is told of it. */
watch(() => trouble.chosenId, async () => {
  await nextTick()
  list.value?.querySelector('li.on')?.scrollIntoView({ block: 'nearest' })
})
/** How many joints that bend skin have a range that nobody told. */
const ranges = computed(() => {
  const untold = (character.figure?.joints ?? []).filter((j) => !j.hinge_known && j.bends && !j.on_bone)
  const proposed = untold.filter((j) => j.range_proposed).length
  return { proposed, guessed: untold.length - proposed }
})
usePlainKeys({ n: () => trouble.step(1, listed.value), b: () => trouble.step(-1, listed.value) })
</script>

<template>
  <aside class="trouble">
    <header>
      <h2>Trouble</h2>
      <template v-if="trouble.job">
        <el-progress class="far" :percentage="Math.round(100 * trouble.job.share)" :stroke-width="6" :show-text="false" aria-label="How far the sweep is" />
        <el-button size="small" @click="work.cancel(trouble.job)">Cancel</el-button>
      </template>
      <span v-else-if="trouble.sweep?.swept && !older" class="muted">up to date</span>
      <el-button v-else size="small" type="primary" :disabled="character.sculpting !== null" @click="trouble.start()">{{ trouble.sweep?.swept ? 'Measure what changed' : 'Sweep' }}</el-button>
    </header>
    <p v-if="ranges.proposed || ranges.guessed" class="ranges">
      <template v-if="ranges.proposed">Ranges of {{ ranges.proposed }} joints are proposed by how the bones lie. <el-button size="small" :disabled="character.sculpting !== null" @click="character.edit(api.takeProposedRanges)">Take them</el-button></template>
      <template v-if="ranges.guessed">{{ ranges.proposed ? 'Of' : 'The file tells no range of' }} {{ ranges.guessed }} {{ ranges.proposed ? 'others they are' : 'joints: they are' }} guessed, 90° either way; those spots come last.</template>
    </p>
    <p v-if="!trouble.sweep?.swept && !trouble.job" class="empty">Turn every joint through its range, measure it bare and with remedies, and rank where it is worst.</p>
    <template v-if="trouble.sweep?.swept">
      <p class="sum"><b class="num">{{ count('open') }}</b> open, <b class="num">{{ count('mended') }}</b> mended<template v-if="count('accepted')">, <b class="num">{{ count('accepted') }}</b> accepted</template>; badness in all <b class="num">{{ Math.round(total?.bare ?? 0) }}</b> without, <b class="num">{{ Math.round(total?.with_remedies ?? 0) }}</b> with remedies<template v-if="trouble.sweep.gone.length">; {{ trouble.sweep.gone.length }} gone</template>.</p>
      <div class="filters">
        <el-select v-model="state" size="small" aria-label="Which state"><el-option value="open" label="Open" /><el-option value="mended" label="Mended" /><el-option value="accepted" label="Accepted" /><el-option value="all" label="All" /></el-select>
        <el-select v-model="family" size="small" placeholder="All measures" clearable aria-label="Which measures"><el-option v-for="f in families" :key="f.value" :value="f.value" :label="f.label" /></el-select>
        <el-checkbox v-model="here" size="small" :disabled="!posing.chosen">{{ posing.chosen ? plainName(posing.chosen) : 'Chosen joint' }} only</el-checkbox>
      </div>
      <p v-if="!listed.length" class="empty">Nothing here.</p>
      <ol ref="list">
        <li v-for="spot in listed" :key="spot.id" :class="[familyOf(spot), { on: spot.id === trouble.chosenId, older: spot.older }]">
          <button class="row" :data-spot="spot.id" :aria-current="spot.id === trouble.chosenId || undefined" :disabled="character.sculpting !== null" @click="trouble.go(spot)">
            <span class="num badness" :title="`Badness ${spot.badness.bare.toFixed(0)} without, ${spot.badness.with_remedies.toFixed(0)} with remedies`">{{ Math.round(spot.badness.with_remedies || spot.badness.bare) }}</span>
            <span class="what">
              <span class="name" :title="`${spotName(spot)} ${spotWhere(spot)}`">{{ spotName(spot) }}</span>
              <span v-if="spotWhere(spot)" class="muted name">{{ spotWhere(spot) }}</span>
              <span class="muted">{{ measureName(spot.measure).toLowerCase() }} <span class="num">{{ measured(spot.measure, (spot.state === 'mended' ? spot.bare : spot.with_remedies)[spot.measure] ?? 0) }}</span><template v-if="spot.range === 'guessed'">, range guessed</template><template v-if="spot.older">, older version</template><b v-if="spot.change && spot.change !== 'same'" :class="spot.change">{{ spot.change }}</b></span>
            </span>
            <SpotCurve :spot="spot" />
          </button>
          <SpotDetail v-if="spot.id === trouble.chosenId" :spot="spot" />
        </li>
      </ol>
      <el-button v-if="found.length > listed.length" class="more" size="small" text @click="shown += 120">{{ found.length - listed.length }} more</el-button>
    </template>
  </aside>
</template>

<style scoped>
.trouble { display: flex; flex-direction: column; min-height: 0; overflow-y: auto; background: var(--panel); border-left: 1px solid var(--line); }
header { display: flex; align-items: center; gap: 8px; padding: 10px 14px 6px; position: sticky; top: 0; background: var(--panel); z-index: 1; }
h2 { font-size: 13px; margin-right: auto; }
.far { width: 110px; }
.ranges { margin: 0 14px 8px; padding: 6px 8px; border: 1px solid var(--line); border-radius: 4px; font-size: 12.5px; }
.sum, .empty { margin: 0; padding: 0 14px 8px; font-size: 12.5px; color: var(--muted); }
.sum b { color: var(--text); }
.filters { display: grid; grid-template-columns: 1fr 1fr; gap: 6px; padding: 0 14px 8px; }
.filters .el-checkbox { grid-column: 1 / 3; height: 20px; }
ol { list-style: none; margin: 0; padding: 0; }
li { border-top: 1px solid var(--line); border-left: 3px solid var(--warn); }
li.loss { border-left-color: var(--loss); }
li.swelling { border-left-color: var(--gain); }
li.on { background: var(--raised); }
li.older .row { opacity: 0.6; }
.row { display: flex; gap: 9px; align-items: center; width: 100%; padding: 5px 12px 5px 9px; border: 0; background: none; color: var(--text); font: inherit; text-align: left; cursor: pointer; }
.row:hover { background: var(--raised); }
.row:focus-visible { outline: 2px solid var(--accent); outline-offset: -2px; }
.badness { width: 26px; text-align: right; font-size: 14px; font-weight: 600; }
.what { flex: 1; min-width: 0; display: grid; font-size: 12.5px; }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.what .muted { font-size: 11.5px; }
.what b { margin-left: 6px; font-weight: 600; color: var(--text); }
.what b.better { color: var(--accent); }
.what b.worse, .what b.new { color: var(--warn); }
.more { margin: 6px 14px; }
</style>
