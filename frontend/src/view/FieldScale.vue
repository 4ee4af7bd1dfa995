<script setup lang="ts">
/** What the colours of a field mean, in its unit, and the number at the pointer. */
import { computed } from 'vue'
import type { SkinField } from '@/workbench/look'

const props = defineProps<{ field: SkinField | 'volume'; here: number | null }>()
const scales: Record<SkinField | 'volume', { low: string; high: string; colours: string; of: string }> = {
  volume: { low: '−43 %', high: '+43 %', colours: '#ff6a3c, #b3a696, #5f93ff', of: 'volume under the skin' },
  stretch: { low: '0.6 ×', high: '1.6 ×', colours: '#5f93ff, #b3a696, #ffd166', of: 'length of its edges' },
  fold: { low: 'open', high: 'folded', colours: '#b3a696, #ffd166', of: 'edges that were open' },
  contacts: { low: 'clear', high: 'crosses', colours: '#b3a696, #ffd166', of: 'a part through itself' },
  clipping: { low: '0', high: '1.5 %', colours: '#b3a696, #ffd166', of: 'depth in another part, of the height' },
}
const scale = computed(() => scales[props.field])
const told = computed(() => {
  const value = props.here
  if (value === null) return ''
  if (props.field === 'volume') return `${value >= 0 ? '+' : '−'}${Math.abs(100 * value).toFixed(0)} %`
  if (props.field === 'stretch') return `${(1 + value).toFixed(2)} ×`
  if (props.field === 'clipping') return `${value.toFixed(2)} %`
  return value ? scale.value.high : scale.value.low
})
</script>

<template>
  <div class="scale" role="img" :aria-label="`${scale.of}: from ${scale.low} to ${scale.high}`">
    <span class="num">{{ scale.low }}</span><i :style="{ background: `linear-gradient(to right, ${scale.colours})` }" /><span class="num">{{ scale.high }}</span>
    <span class="muted">{{ scale.of }}</span><b v-if="told" class="num">{{ told }}</b>
  </div>
</template>

<style scoped>
.scale { position: absolute; left: 12px; top: 12px; max-width: 240px; display: flex; flex-wrap: wrap; gap: 2px 8px; align-items: center; background: #1d1a22cc; border-radius: 4px; padding: 4px 9px; font-size: 12px; pointer-events: none; }
i { width: 90px; height: 8px; border-radius: 2px; }
.muted { flex-basis: 100%; font-size: 11.5px; }
</style>
