<script setup lang="ts">
const shown = defineModel<boolean>({ required: true })
const keys: [string, string][] = [
  ['V', 'the skin smoothed, on or off'],
  ['hold S', 'smooth, whatever the brush'],
  ['hold E', 'the brushes at the pointer: let go over one'],
  ['Shift', 'turn the brush round'],
  ['1, 2, 3, 5', 'Stations: Bind, Stress, Mend, Deliver'],
  ['N, B', 'The next spot of the trouble list, the one before (Stress)'],
  ['Q', 'Rest pose and back'],
  ['W', 'Wipe on or off'],
  ['hold Space', 'Without remedies'],
  ['J', 'Joints on or off'],
  ['P', 'Play or stop the clip'],
  ['F', 'Face the chosen joint, again: next side'],
  ['O', 'Show the whole figure'],
  ['C', 'A drawing alone, without any aid'],
  ['H', 'Hide the part under the pointer'],
  [', .', 'Five degrees along the bend strip, or a frame of the clip'],
  ['[ ]', 'Brush smaller, larger'],
  ['hold D', 'and drag: across for the brush size, up and down for its strength'],
  ['Shift', 'Inflate lets in instead of out; a dragged joint goes to the middle of the limb'],
  ['Alt click', 'List what a vertex follows (Bind)'],
  ['Ctrl Z', 'Undo; with Shift, redo'],
]
</script>

<template>
  <el-dialog v-model="shown" title="Keys" width="420">
    <dl><template v-for="[key, what] in keys" :key="key"><dt><kbd>{{ key }}</kbd></dt><dd>{{ what }}</dd></template></dl>
  </el-dialog>
</template>

<style scoped>
dl { display: grid; grid-template-columns: 110px 1fr; gap: 6px; margin: 0; }
dd { margin: 0; }
</style>
