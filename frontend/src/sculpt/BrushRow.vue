<script setup lang="ts">
/** The brushes in a row at the pointer while their key is held: the one it is let go over is taken. */
import { onKeyStroke, useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import { isTyping } from '@/workbench/keys'
import { useTools, type BrushName } from '@/workbench/tools'
import { brushes } from './brushes'

const tools = useTools()
const at = ref<{ x: number; y: number } | null>(null)
const over = ref<BrushName | null>(null)
let pointer = { x: 0, y: 0 }
useEventListener(window, 'pointermove', (event: PointerEvent) => (pointer = { x: event.clientX, y: event.clientY }))

const WIDE = 770, HIGH = 34
onKeyStroke('e', (event) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey || at.value) return
  over.value = null
  // Above the pointer, so that none is taken by letting go at once; kept inside of the window.
  at.value = { x: Math.max(8, Math.min(pointer.x - WIDE / 2, window.innerWidth - WIDE - 8)), y: Math.max(8, pointer.y - HIGH - 14) }
})
onKeyStroke('e', () => {
  if (at.value && over.value) tools.brush = over.value
  at.value = null
}, { eventName: 'keyup' })
useEventListener(window, 'blur', () => (at.value = null))
</script>

<template>
  <Teleport to="body">
    <div v-if="at" class="row" role="menu" aria-label="Brushes" :style="{ left: `${at.x}px`, top: `${at.y}px` }">
      <button v-for="b in brushes" :key="b.name" role="menuitem" :class="{ on: over === b.name, now: tools.brush === b.name }" @pointerenter="over = b.name" @pointerleave="over = null">{{ b.label }}</button>
    </div>
  </Teleport>
</template>

<style scoped>
.row { position: fixed; z-index: 3000; display: flex; width: 770px; justify-content: space-between; background: var(--panel); border: 1px solid var(--line); border-radius: 4px; padding: 3px; }
button { background: none; border: 0; border-radius: 3px; color: var(--muted); font: inherit; font-size: 12.5px; padding: 5px 8px; }
.now { color: var(--text); }
.on { background: var(--raised); color: var(--accent); }
</style>
