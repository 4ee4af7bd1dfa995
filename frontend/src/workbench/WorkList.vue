<script setup lang="ts">
/** What is at work on the character, in the header: each piece with how far it is; what is offered can be taken. */
import { computed } from 'vue'
import { isUnderWay, useWork, workName } from './work'

const work = useWork()
const offered = computed(() => work.jobs.filter((job) => job.state === 'offered').length)
const label = computed(() => (offered.value ? `${offered.value} ready to take` : `${work.jobs.length} at work`))
</script>

<template>
  <el-popover v-if="work.jobs.length" trigger="click" :width="300" popper-class="work-list">
    <template #reference>
      <button class="pill" :class="{ offered }" :aria-label="`Long work: ${label}`">
        <el-progress v-if="!offered" type="circle" :width="14" :stroke-width="3" :show-text="false" :percentage="Math.round(100 * work.jobs[0]!.share)" />{{ label }}
      </button>
    </template>
    <ul>
      <li v-for="job in work.jobs" :key="job.id" :aria-label="workName(job)">
        <b>{{ workName(job) }}</b>
        <template v-if="isUnderWay(job)">
          <el-progress :percentage="Math.round(100 * job.share)" :stroke-width="6" :aria-label="`How far ${workName(job).toLowerCase()} is`" />
          <el-button size="small" @click="work.cancel(job)">Cancel</el-button>
        </template>
        <template v-else>
          <p class="muted">{{ job.detail }}</p>
          <el-button size="small" type="primary" @click="work.take(job)">Take it</el-button>
          <el-button size="small" @click="work.cancel(job)">Leave it</el-button>
        </template>
      </li>
    </ul>
  </el-popover>
</template>

<style scoped>
.pill { display: flex; gap: 6px; align-items: center; height: 24px; padding: 0 9px; border: 1px solid var(--line); border-radius: 12px; background: var(--raised); color: var(--text); font: inherit; font-size: 12px; cursor: pointer; white-space: nowrap; }
.pill.offered { border-color: var(--accent); color: var(--accent); }
ul { list-style: none; margin: 0; padding: 0; display: grid; gap: 12px; }
.pill :deep(.el-progress-circle__track) { stroke: #5b5568; }
li p { margin: 4px 0 8px; }
</style>
