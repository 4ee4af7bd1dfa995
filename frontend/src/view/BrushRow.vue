<script setup lang="ts" generic="Name extends string">
/** The brushes in a row at the pointer while their key is held: the one it is let go over is taken. */
import { onKeyStroke, useEventListener } from '@vueuse/core'
import { computed, ref, shallowRef } from 'vue'
import { isTyping } from '@/workbench/keys'

const props = defineProps<{ choices: { name: Name; label: string }[] }>()
const model = defineModel<Name>()
const at = ref<{ x: number; y: number } | null>(null)
const over = shallowRef<Name | null>(null)
const point = (name: Name | null) => (over.value = name)
let pointer = { x: 0, y: 0 }
useEventListener(window, 'pointermove', (event: PointerEvent) => (pointer = { x: event.clientX, y: event.clientY }))

/** About as much as their words take. */
const wide = computed(() => props.choices.reduce((sum, c) => sum + 7.2 * c.label.length + 20, 20))
const HIGH = 34
onKeyStroke('e', (event) => {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey || at.value) return
  over.value = null
  // Above the pointer, so that none is taken by letting go at once; kept inside of the window.
  at.value = { x: Math.max(8, Math.min(pointer.x - wide.value / 2, window.innerWidth - wide.value - 8)), y: Math.max(8, pointer.y - HIGH - 14) }
})
onKeyStroke('e', () => {
  if (at.value && over.value) model.value = over.value
  at.value = null
}, { eventName: 'keyup' })
useEventListener(window, 'blur', () => (at.value = null))
</script>

<template>
  <Teleport to="body">
    <div v-if="at" class="row" role="menu" aria-label="Brushes" :style="{ left: `${at.x}px`, top: `${at.y}px`, width: `${wide}px` }">
      <button v-for="b in choices" :key="b.name" role="menuitem" :class="{ on: over === b.name, now: model === b.name }" @pointerenter="point(b.name)" @pointerleave="point(null)">{{ b.label }}</button>
    </div>
  </Teleport>
</template>

<style scoped>
.row { position: fixed; z-index: 3000; display: flex; justify-content: space-between; background: var(--panel); border: 1px solid var(--line); border-radius: 4px; padding: 3px; }
button { background: none; border: 0; border-radius: 3px; color: var(--muted); font: inherit; font-size: 12.5px; padding: 5px 8px; }
.now { color: var(--text); }
.on { background: var(--raised); color: var(--accent); }
</style>
