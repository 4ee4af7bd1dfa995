<script setup lang="ts">
/** What acts on the chosen joint, and where a new corrective begins. */
import { computed, ref } from 'vue'
import { plainName } from '@/workbench/angles'
import { api } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'
import { useLook } from '@/workbench/look'
import { useMending } from '@/workbench/mending'
import MendProgress from '@/sculpt/MendProgress.vue'
import KeepPanel from '@/sculpt/KeepPanel.vue'
import DrawingStart from '@/drawing/DrawingStart.vue'
import ElsewhereList from './ElsewhereList.vue'
import GroupList from './GroupList.vue'
import HelperStart from './HelperStart.vue'
import KeepDifference from './KeepDifference.vue'
import MaskedStart from './MaskedStart.vue'
import RemedyTable from './RemedyTable.vue'
import RollChart from './RollChart.vue'
import WaterfallChart from './WaterfallChart.vue'
import WhichKind from './WhichKind.vue'
import { remedyCards } from './kinds'

const character = useCharacter()
const posing = usePose()
const looks = useLook()
const mending = useMending()
/** The remedy that acts alone though its card is not shown here. */
const aloneElsewhere = computed(() => mending.elsewhere.find((r) => r.id === looks.alone) ?? character.state?.groups.find((g) => g.id === looks.alone))

const withoutTwin = computed(() => character.state?.remedies.some((r) => !r.twin))
const table = ref(false)
/** How many remedies something is wrong with. */
const wrong = computed(() => new Set(mending.findings.map((f) => f.remedy_id)).size)
const atRest = computed(() => (posing.atRest ? 'Bend the joint first: it is mended in the pose where it looks bad.' : ''))
</script>

<template>
  <aside class="panel">
    <KeepPanel v-if="character.sculpting" />
    <header>
      <h2>Remedies{{ posing.chosen ? ` at ${plainName(posing.chosen).toLowerCase()}` : '' }}</h2>
      <el-button v-if="mending.all.length || character.figure?.shapes.length" size="small" text title="A table of all remedies, with search" @click="table = true">{{ mending.tiedHere.length }} of {{ mending.all.length }}{{ wrong ? `, ${wrong} !` : '' }}</el-button>
    </header>
    <RemedyTable v-model="table" />
    <template v-if="!character.flat"><WaterfallChart /><RollChart /></template>
    <p v-if="aloneElsewhere" class="warn">Only <b>{{ aloneElsewhere.name }}</b> acts. <el-button size="small" @click="looks.alone = null">Let all act</el-button></p>
    <component :is="remedyCards[r.kind]" v-for="r in mending.tiedHere" :key="r.id" :remedy="r" />
    <p v-if="!character.state?.bound" class="muted empty">Nothing follows a joint yet: lay a skeleton and make weights in Bind.</p>
    <p v-else-if="!mending.tiedHere.length && !character.sculpting" class="muted empty">
      Nothing mends this joint yet. Bend it until it looks bad, then {{ character.flat ? '' : 'ask which kind of remedy suits, or ' }}sculpt it right in that pose.
    </p>
    <WhichKind v-if="!character.sculpting && character.state?.bound && !character.flat" class="which" />
    <div v-if="!character.sculpting && character.state?.bound" class="add">
      <el-button type="primary" v-off="atRest" @click="mending.beginSculpt(null)">{{ character.flat ? 'Mend the outline here' : 'Sculpt a corrective here' }}</el-button>
      <el-button v-off="atRest" :disabled="mending.solved !== null" :title="character.flat ? 'Each point turns by its own share: the limb keeps its width; you look, then keep, go on or drop' : 'The program gives back what volume is lost here; you look, then keep, sculpt on or drop'" @click="mending.solveFirst()">{{ character.flat ? 'Keep the width' : 'Solve a first mend' }}</el-button>
      <MendProgress />
      <HelperStart />
      <DrawingStart v-if="character.flat" />
      <MaskedStart v-else />
      <KeepDifference />
      <p v-if="posing.atRest" class="muted hint">The character is at rest: bend a joint first.</p>
    </div>
    <template v-if="mending.untied.length">
      <header class="more"><h2>Not tied to a joint</h2><span class="muted">{{ mending.untied.length }}</span></header>
      <component :is="remedyCards[r.kind]" v-for="r in mending.untied" :key="r.id" :remedy="r" />
    </template>
    <GroupList />
    <ElsewhereList />
    <el-button v-if="withoutTwin && !character.sculpting" class="twins" size="small" title="The other side of every remedy that has none" @click="character.edit((c) => api.makeTwins(c))">Make all twins</el-button>
  </aside>
</template>

<style scoped>
.panel { background: var(--panel); border-left: 1px solid var(--line); padding: 10px 12px; overflow-y: auto; }
header { display: flex; justify-content: space-between; align-items: baseline; }
.more { margin-top: 18px; }
h2 { font-size: 14px; }
.empty, .hint { font-size: 12.5px; margin-top: 8px; }
.warn { color: var(--warn); font-size: 12.5px; margin-top: 8px; }
.which, .twins { margin-top: 12px; }
.add { display: flex; flex-wrap: wrap; gap: 6px; margin-top: 12px; }
.add .el-button { margin: 0; }
.add .hint { flex-basis: 100%; margin: 0; }
</style>
