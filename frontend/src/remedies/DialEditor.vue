<script setup lang="ts">
/** A dial trigger: which value it reads, and how much of the remedy is on where. */
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { dialKnots, useTriggers } from './useTriggers'

type DialTrigger = Schemas['DialTriggerRule']
const props = defineProps<{ trigger: DialTrigger }>()
const emit = defineEmits<{ change: [trigger: DialTrigger] }>()
const character = useCharacter()
const triggers = useTriggers()
const values = computed(() => triggers.readable(props.trigger.id ?? undefined))
/** Another dial: its whole way switches it on. */
function read(id: string): void {
  emit('change', { ...props.trigger, reads: id, knots: dialKnots(character.dials.find((d) => d.id === id)) })
}
type Knot = DialTrigger['knots'][number]
function knot(index: number, more: Partial<Knot>): void {
  const knots = props.trigger.knots.map((k, i): Knot => (i === index ? { ...k, ...more } as Knot : k))
  emit('change', { ...props.trigger, knots: knots.sort((a, b) => a.input - b.input) })
}
function add(): void {
  const [a, b] = props.trigger.knots.slice(-2)
  const knots = [...props.trigger.knots, { input: (a.input + b.input) / 2, value: (a.value + b.value) / 2 }]
  emit('change', { ...props.trigger, knots: knots.sort((p, q) => p.input - q.input) })
}
</script>

<template>
  <label>Reads <el-select :model-value="trigger.reads" filterable size="small" aria-label="The value that it reads" @update:model-value="read"><el-option v-for="v in values" :key="v.id" :value="v.id" :label="v.name" /></el-select></label>
  <label v-for="(k, i) in trigger.knots" :key="i"><span>{{ i === 0 ? 'On' : '' }}</span>
    <span class="knot">
      <el-input-number :model-value="Math.round(k.value * 100)" size="small" :controls="false" :min="0" :max="100" :aria-label="`Percent on at knot ${i + 1}`" @change="(v: number | undefined) => knot(i, { value: (v ?? 0) / 100 })" />% at
      <el-input-number :model-value="k.input" size="small" :controls="false" :aria-label="`Value of knot ${i + 1}`" @change="(v: number | undefined) => v !== undefined && knot(i, { input: v })" />
      <el-button v-if="trigger.knots.length > 2" size="small" text :aria-label="`Remove knot ${i + 1}`" @click="emit('change', { ...trigger, knots: trigger.knots.filter((_, n) => n !== i) })">×</el-button>
    </span>
  </label>
  <el-button size="small" text @click="add">Add a knot</el-button>
</template>

<style scoped>
label { display: grid; grid-template-columns: 48px 1fr; align-items: center; margin: 3px 0; font-size: 12px; color: var(--muted); }
.knot { display: flex; gap: 5px; align-items: center; }
.knot .el-input-number { width: 58px; }
</style>
