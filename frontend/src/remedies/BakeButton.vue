<script setup lang="ts">
/** Turns what a helper, a blend or a deformer does on the way to this pose into a corrective. */
import { computed, ref } from 'vue'
import { api, type RemedyCard } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const mending = useMending()
const posing = usePose()
const busy = ref(false)
const PARTS = 4
const bent = computed(() => !posing.clip && Math.abs(posing.angle) >= 2)
const title = computed(() =>
  bent.value
    ? `A corrective with in-betweens in its place, for programs that know shapes only: fully on at ${posing.angle.toFixed(0)}° of ${plainName(posing.chosen).toLowerCase()}`
    : '',
)
const off = computed(() => (character.sculpting ? 'A sculpt is in progress: keep or drop it first.' : bent.value ? '' : 'Bend the joint to where the corrective should be fully on.'))

async function bake(): Promise<void> {
  busy.value = true
  const angles = Array.from({ length: PARTS }, (_, k) => (posing.angle * (k + 1)) / PARTS)
  await mending.making((c) => api.bake(c, props.remedy.id, { joint: posing.chosen, axis: posing.axis, angles_deg: angles }))
  busy.value = false
}
</script>

<template>
  <el-button size="small" :loading="busy" v-off="off" :title="title" @click="bake">Bake</el-button>
</template>
