<script setup lang="ts">
/** What switches a remedy on: which kind of trigger, and its editor. */
import { computed } from 'vue'
import type { HingeTrigger, Schemas } from '@/api/client'
import { say, useCharacter } from '@/workbench/character'
import { triggerEditors } from './kinds'
import { triggerNames, useTriggers, type Kind, type Tie } from './useTriggers'

const props = defineProps<{
  tie: Tie | null
  /** What a pose that is stored is called. */
  name: string
  /** Finds the response that keeps the volume, for a hinge. */
  fit?: (trigger: HingeTrigger) => Promise<Schemas['FittedResponse']>
}>()
const emit = defineEmits<{ change: [tie: Tie] }>()
const character = useCharacter()
const triggers = useTriggers()
const editor = computed(() => (props.tie ? triggerEditors[props.tie.trigger.kind] : undefined))
const sets = computed(() => character.state?.values.filter((v) => v.kind === 'pose_set').length ?? 0)
const kinds = computed(() => (Object.keys(triggerNames) as Kind[]).map((kind) => ({ kind, label: triggerNames[kind], why: kind === props.tie?.trigger.kind ? '' : triggers.refused(kind) })))
async function take(kind: Kind): Promise<void> {
  if (kind === props.tie?.trigger.kind) return
  try {
    emit('change', await triggers.fresh(kind, props.name))
  } catch (error) {
    say(error)
  }
}
</script>

<template>
  <div class="kinds" role="radiogroup" aria-label="What switches it on">
    <button v-for="k in kinds" :key="k.kind" type="button" role="radio" :aria-checked="tie?.trigger.kind === k.kind" :class="{ on: tie?.trigger.kind === k.kind }" v-off="k.why" @click="take(k.kind)">{{ k.label }}</button>
  </div>
  <component :is="editor" v-if="editor && tie" :trigger="tie.trigger" :value="tie.value" :fit="fit" :sets="sets" @change="(trigger: Tie['trigger'], value?: string) => emit('change', { trigger, value: value ?? tie?.value })" />
</template>

<style scoped>
.kinds { display: grid; grid-template-columns: 1fr 1fr; gap: 4px; margin: 6px 0; }
.kinds button { border: 1px solid var(--line); border-radius: 4px; background: none; color: var(--muted); font: inherit; font-size: 12px; padding: 2px 6px; cursor: pointer; }
.kinds button.on { color: var(--text); border-color: var(--accent); }
.kinds button[aria-disabled="true"] { color: #8d8699; cursor: default; }
</style>
