<script setup lang="ts">
/** A way in a joint's own frame: one of its axes, or the one that it has. */
import { computed } from 'vue'
import type { Axis } from '@/api/client'
import { axisName, sameAxis, wayInWords } from '@/workbench/angles'
import { useCharacter } from '@/workbench/character'

const props = defineProps<{ axis: readonly number[]; label: string; signed?: boolean; /** Whose frame it is of: then a way is said in words. */ joint?: string | null }>()
const emit = defineEmits<{ change: [axis: Axis] }>()
const OWN: Axis[] = [[1, 0, 0], [0, 1, 0], [0, 0, 1]]
const back = (a: Axis): Axis => [-a[0], -a[1], -a[2]]
const same = (a: Axis, b: Axis) => (props.signed ? a.every((c, k) => Math.abs(c - b[k]) < 1e-3) : sameAxis(a, b))
const choices = computed(() => {
  const own = props.signed ? OWN.flatMap((a) => [a, back(a)]) : OWN
  const now = props.axis as Axis
  return own.some((a) => same(a, now)) ? own : [...own, now]
})
const chosen = computed(() => choices.value.findIndex((a) => same(a, props.axis as Axis)))
const character = useCharacter()
const turn = computed(() => character.figure?.joints.find((j) => j.name === props.joint)?.turn)
const letters = (a: Axis) => (props.signed && OWN.some((o) => same(back(o), a)) ? `−${axisName(back(a))}` : axisName(a))
function named(a: Axis): string {
  if (!props.signed || !turn.value) return letters(a)
  const words = wayInWords(a, turn.value, character.state?.up === 'z')
  return OWN.some((o) => sameAxis(o, a)) ? `${letters(a)}: ${words}` : words
}
</script>

<template>
  <label>{{ label }}
    <el-select :model-value="chosen" size="small" :aria-label="label" @update:model-value="(k: number) => emit('change', choices[k])">
      <el-option v-for="(a, k) in choices" :key="k" :value="k" :label="named(a)" />
    </el-select>
  </label>
</template>

<style scoped>
label { display: grid; grid-template-columns: 60px 1fr; align-items: center; margin: 2px 8px 2px 0; }
</style>
