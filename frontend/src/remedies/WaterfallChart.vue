<script setup lang="ts">
/** What each remedy gives back of the joint's volume in this pose: the steps lead from without to with. */
import { useDebounceFn } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { api, Problem, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const bars = ref<Schemas['WaterfallBar'][]>([])
const subject = computed(() => JSON.stringify([posing.chosen, posing.pose, character.state?.revision]))

const ask = useDebounceFn(async () => {
  const asked = subject.value
  if (posing.atRest || !posing.chosen || !character.state?.remedies.some((r) => r.on)) return void (bars.value = [])
  try {
    const found = await api.waterfall(character.id, posing.pose, posing.chosen)
    if (asked === subject.value) bars.value = found.filter((b) => Math.abs(b.volume) >= 0.05)
  } catch (error) {
    // A joint that bends no skin has no volume to give back.
    if (!(error instanceof Problem)) throw error
    bars.value = []
  }
}, 350)
watch(subject, ask, { immediate: true })

const most = computed(() => Math.max(...bars.value.map((b) => Math.abs(b.volume)), 1))
const sum = computed(() => bars.value.reduce((total, b) => total + b.volume, 0))
const signed = (value: number) => `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(1)}`
</script>

<template>
  <section v-if="bars.length" class="waterfall" aria-label="What each remedy gives back of the volume">
    <div v-for="b in bars" :key="b.id" class="bar">
      <span class="name" :title="b.name">{{ b.name }}</span>
      <span class="track"><i :class="{ less: b.volume < 0 }" :style="{ width: `${(100 * Math.abs(b.volume)) / most}%` }" /></span>
      <span class="num">{{ signed(b.volume) }} %</span>
    </div>
    <p class="muted">Together <span class="num">{{ signed(sum) }} %</span> of the volume at rest.</p>
  </section>
</template>

<style scoped>
.waterfall { margin: 8px 0 2px; font-size: 12px; }
.bar { display: grid; grid-template-columns: 1fr 64px 64px; gap: 8px; align-items: center; padding: 1px 0; }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; color: var(--muted); }
.track { height: 6px; background: var(--ground); border-radius: 3px; overflow: hidden; }
i { display: block; height: 100%; background: var(--accent); }
i.less { background: var(--loss); }
.num { text-align: right; }
p { font-size: 12px; margin-top: 2px; }
</style>
