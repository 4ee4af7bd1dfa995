<script setup lang="ts">
/** What acts on the chosen joint, and where a new corrective begins. */
import { computed } from 'vue'
import { plainName } from '@/workbench/angles'
import { useWorkbench } from '@/workbench/store'
import KeepPanel from '@/sculpt/KeepPanel.vue'
import CorrectiveCard from './CorrectiveCard.vue'
import ElsewhereList from './ElsewhereList.vue'

const bench = useWorkbench()
/** The remedy that acts alone though its card is not shown here. */
const aloneElsewhere = computed(() => bench.elsewhere.find((r) => r.id === bench.alone))
</script>

<template>
  <aside class="panel">
    <KeepPanel v-if="bench.sculpting" />
    <header>
      <h2>Remedies{{ bench.chosen ? ` at ${plainName(bench.chosen).toLowerCase()}` : '' }}</h2>
      <span class="muted">{{ bench.tiedHere.length }}</span>
    </header>
    <p v-if="aloneElsewhere" class="warn">Only <b>{{ aloneElsewhere.name }}</b> acts. <el-button size="small" @click="bench.alone = null">Let all act</el-button></p>
    <CorrectiveCard v-for="r in bench.tiedHere" :key="r.id" :remedy="r" />
    <p v-if="!bench.state?.bound" class="muted empty">Nothing follows a joint yet: lay a skeleton and make weights in Bind.</p>
    <p v-else-if="!bench.tiedHere.length && !bench.sculpting" class="muted empty">
      Nothing mends this joint yet. Bend it until it looks bad, then sculpt it right in that pose.
    </p>
    <div v-if="!bench.sculpting && bench.state?.bound" class="add">
      <el-button type="primary" :disabled="bench.atRest" @click="bench.beginSculpt(null)">Sculpt a corrective here</el-button>
      <p v-if="bench.atRest" class="muted hint">The character is at rest: bend a joint first.</p>
    </div>
    <template v-if="bench.untied.length">
      <header class="more"><h2>Not tied to a joint</h2><span class="muted">{{ bench.untied.length }}</span></header>
      <CorrectiveCard v-for="r in bench.untied" :key="r.id" :remedy="r" />
    </template>
    <ElsewhereList />
  </aside>
</template>

<style scoped>
.panel { background: var(--panel); border-left: 1px solid var(--line); padding: 10px 12px; overflow-y: auto; }
header { display: flex; justify-content: space-between; align-items: baseline; }
.more { margin-top: 18px; }
h2 { font-size: 14px; }
.empty, .hint { font-size: 12.5px; margin-top: 8px; }
.warn { color: var(--warn); font-size: 12.5px; margin-top: 8px; }
.add { margin-top: 12px; }
</style>
