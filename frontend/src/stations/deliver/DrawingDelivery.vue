<script setup lang="ts">
/** What a drawing is delivered as: with its rules, as it is posed, and clips for players that know no rules. */
import { computed, ref } from 'vue'
import { api, deliveryAddress, drawnClipAddress } from '@/api/client'
import { say, useCharacter } from '@/workbench/character'
import { FRAMES, usePose } from '@/workbench/pose'

const character = useCharacter()
const posing = usePose()
const clips = computed(() => character.state?.clips ?? [])
const clip = ref(clips.value[0]?.name ?? '')
const width = ref(1024)
const share = ref<number | null>(null)
let cancel: AbortController | null = null

function hand(data: Blob, name: string): void {
  const url = URL.createObjectURL(data)
  Object.assign(document.createElement('a'), { href: url, download: name }).click()
  window.setTimeout(() => URL.revokeObjectURL(url), 10_000)
}
async function posed(): Promise<void> {
  try {
    hand(await api.posedDrawing(character.id, posing.pose), `${character.state?.name}, posed.svg`)
  } catch (error) {
    say(error)
  }
}
/** One frame after the other, packed here: it can be stopped at any of them. */
async function pictures(): Promise<void> {
  const chosen = clips.value.find((c) => c.name === clip.value)
  if (!chosen) return
  cancel = new AbortController()
  share.value = 0
  try {
    const { zip } = await import('fflate')
    const count = Math.round(chosen.seconds * FRAMES) + 1
    const files: Record<string, Uint8Array> = {}
    for (let k = 0; k < count; k++) {
      files[`${String(k).padStart(4, '0')}.png`] = new Uint8Array(await api.drawingFrame(character.id, chosen.name, k, width.value, cancel.signal))
      share.value = (k + 1) / count
    }
    const packed = await new Promise<Uint8Array>((resolve, reject) => zip(files, { level: 0 }, (error, data) => (error ? reject(error) : resolve(data))))
    hand(new Blob([packed as BlobPart], { type: 'application/zip' }), `${character.state?.name}, ${chosen.name}.zip`)
  } catch (error) {
    say(error)
  } finally {
    share.value = null
  }
}
</script>

<template>
  <section>
    <h1>SVG with remedies</h1>
    <p class="muted">The drawing at rest, with its joints, weights, rules and clips in its metadata: it comes back here whole, and opens anywhere as the drawing that it is.</p>
    <a class="el-button el-button--primary" :href="deliveryAddress(character.id, null, 4)" download>Deliver SVG</a>
    <h2>The pose that is held</h2>
    <p class="muted">A plain SVG as it is seen now, corrections and all.</p>
    <el-button @click="posed">Deliver the pose</el-button>
    <template v-if="clips.length">
      <h2>A clip</h2>
      <p class="muted">For players that know no rules: in every frame the paths are as they are mended.</p>
      <label>Clip <el-select v-model="clip" aria-label="Clip to deliver"><el-option v-for="c in clips" :key="c.name" :value="c.name" :label="`${c.name} (${c.seconds.toFixed(1)} s)`" /></el-select></label>
      <div class="row">
        <a class="el-button" :href="drawnClipAddress(character.id, 'svg', clip)" download>Animated SVG</a>
        <a class="el-button" :href="drawnClipAddress(character.id, 'json', clip)" download>Lottie</a>
      </div>
      <div class="row">
        <span>PNG frames, <el-input-number v-model="width" :min="16" :max="4096" :controls="false" size="small" aria-label="Width of the frames, pixels" /> pixels across</span>
        <el-button v-if="share === null" @click="pictures">PNG frames</el-button>
        <template v-else><el-progress :percentage="Math.round(share * 100)" class="bar" /><el-button @click="cancel?.abort()">Cancel</el-button></template>
      </div>
    </template>
  </section>
</template>

<style scoped>
h1 { font-size: 20px; margin-bottom: 6px; }
h2 { font-size: 14px; margin: 26px 0 6px; }
section { width: min(620px, 100%); }
section > p { margin-bottom: 12px; }
label { display: grid; gap: 4px; max-width: 340px; }
.row { display: flex; gap: 10px; align-items: center; margin-top: 12px; }
.row .el-button { margin: 0; }
.row .el-input-number { width: 72px; }
.bar { width: 200px; }
a { text-decoration: none; }
</style>
