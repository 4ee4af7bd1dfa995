<script setup lang="ts">
/** A product trigger: which values all have to be on. */
import { computed } from 'vue'
import type { Schemas } from '@/api/client'
import { useTriggers } from './useTriggers'

type Product = Schemas['ProductTriggerRule']
const props = defineProps<{ trigger: Product }>()
const emit = defineEmits<{ change: [trigger: Product] }>()
const triggers = useTriggers()
const values = computed(() => triggers.readable(props.trigger.id ?? undefined))
const factors = computed(() => props.trigger.of.map((id) => ({ id, name: values.value.find((v) => v.id === id)?.name ?? 'gone', now: triggers.valueNow(id) })))
const set = (of: string[]) => of.length > 1 && emit('change', { ...props.trigger, of })
</script>

<template>
  <p class="sentence">On only as far as <b>all</b> of these are.</p>
  <el-select :model-value="trigger.of" multiple filterable size="small" aria-label="The values of the product" @update:model-value="set">
    <el-option v-for="v in values" :key="v.id" :value="v.id" :label="v.name" />
  </el-select>
  <ul>
    <li v-for="f in factors" :key="f.id"><span>{{ f.name }}</span><i><b :style="{ width: `${100 * Math.min(1, Math.max(0, f.now))}%` }" /></i><span class="num">{{ Math.round(f.now * 100) }} %</span></li>
  </ul>
</template>

<style scoped>
.sentence { color: var(--muted); font-size: 12.5px; margin: 4px 0; }
.sentence b { color: var(--text); }
.el-select { width: 100%; }
ul { list-style: none; margin: 6px 0 0; padding: 0; font-size: 12px; color: var(--muted); }
li { display: grid; grid-template-columns: 1fr 60px 40px; gap: 8px; align-items: center; }
li span:first-child { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.num { text-align: right; }
i { height: 4px; background: var(--ground); border-radius: 2px; overflow: hidden; }
i b { display: block; height: 100%; background: var(--accent); }
</style>
