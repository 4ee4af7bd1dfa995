<script setup lang="ts">
/** A slider over a stored number: it follows the hand, tells where that is on the way, and the number once it is let go. */
import { ref, watch } from 'vue'

const props = defineProps<{ value: number; min?: number; max: number; unit?: string; label: string }>()
const emit = defineEmits<{ change: [value: number]; input: [value: number] }>()
// The slider tells what it is bound to, so it has to be bound to what the hand does.
const shown = ref(props.value)
watch(() => props.value, (now) => (shown.value = now))
</script>

<template>
  <el-slider v-model="shown" :min="min ?? 0" :max="max" size="small" :format-tooltip="(v: number) => `${v} ${unit ?? '%'}`" :aria-label="label" @input="(v: unknown) => v !== value && emit('input', v as number)" @change="emit('change', shown)" />
</template>
