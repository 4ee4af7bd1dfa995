<script setup lang="ts">
/** The frame round the stations: ribbon, saved, undo. */
import { onKeyStroke, useEventListener } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import BendStrip from '@/bend-strip/BendStrip.vue'
import ClipStrip from '@/bend-strip/ClipStrip.vue'
import BodyMap from '@/body-map/BodyMap.vue'
import DialList from '@/body-map/DialList.vue'
import KeptPoses from '@/body-map/KeptPoses.vue'
import PoseList from '@/body-map/PoseList.vue'
import FigureView from '@/view/FigureView.vue'
import DrawingView from '@/drawing/DrawingView.vue'
import { panels } from '@/stations/stations'
import KeyList from './KeyList.vue'
import PastDrawer from './PastDrawer.vue'
import WorkList from './WorkList.vue'
import { isTyping } from './keys'
import { useCharacter } from './character'
import { useLive } from './live'
import { useLook } from './look'
import { useMending } from './mending'
import { usePose } from './pose'
import { useResume } from './resume'

const props = defineProps<{ id: string; station?: string }>()
const character = useCharacter()
const posing = usePose()
const live = useLive()
const looks = useLook()
const mending = useMending()
const resume = useResume()
const router = useRouter()
const help = ref(false)
const past = ref(false)
const stations = [{ key: '1', name: 'bind', label: 'Bind' }, { key: '2', name: 'stress', label: 'Stress' }, { key: '3', name: 'mend', label: 'Mend' }, { key: '5', name: 'deliver', label: 'Deliver' }]
const station = computed(() => props.station || 'mend')
const go = (name: string) => router.push(`/characters/${props.id}/${name}`)

watch(() => props.id, async (id) => {
  live.disconnect()
  posing.reset()
  looks.reset()
  resume.camera = null
  if (!(await character.open(id))) return
  if (!resume.goOn(id)) mending.chooseFirst()
  else mending.chosenRemedy = mending.tiedHere[0]?.id ?? null
  live.connect()
  if (id !== props.id || props.station) return
  // Where nothing follows a joint yet there is nothing to mend; else one goes on where one left off.
  const at = character.state?.bound === false ? 'bind' : resume.left(id)?.station
  if (at && at !== 'mend' && stations.some((s) => s.name === at)) void router.replace(`/characters/${id}/${at}`)
}, { immediate: true })
watch(station, (name) => (resume.station = name), { immediate: true })
watch(() => character.state?.name, (name) => (document.title = name ? `${name} – Plethos` : 'Plethos'))
onBeforeUnmount(() => {
  live.disconnect()
  character.close()
  posing.reset()
  looks.reset()
})
/** A button clicked with the pointer gives the focus back, so that Space stays the key for "without". */
const letGo = (event: MouseEvent) => {
  if (event.detail > 0 && document.activeElement instanceof HTMLButtonElement) document.activeElement.blur()
}
/** The panel and the overlay of the station; Deliver covers the view, which stays behind it. */
const shown = computed(() => panels[station.value as keyof typeof panels] ?? panels.mend)

for (const s of stations) onKeyStroke(s.key, (event) => { if (!isTyping(event)) void go(s.name) })
onKeyStroke('?', (event) => { if (!isTyping(event)) help.value = true })
useEventListener('keydown', (event: KeyboardEvent) => {
  if (isTyping(event) || !(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z') return
  event.preventDefault()
  void (event.shiftKey ? character.redo() : character.undo())
})
const saved = computed(() => {
  if (character.saving) return 'Saving …'
  if (live.gone) return 'Deleted in another window'
  if (live.lost) return 'Connection lost, trying again'
  if (live.elsewhere) return 'Being edited in another window'
  if (!character.state) return ''
  return `Saved ${new Date(character.state.saved_at).toLocaleTimeString([], { hour: '2-digit', minute: '2-digit' })}`
})
</script>

<template>
  <div class="frame">
    <header>
      <router-link to="/" class="brand" title="To the library">
        <svg width="20" height="20" viewBox="0 0 20 20" aria-hidden="true"><path d="M3 14c0-6 3-9 7-9s7 3 7 9" fill="none" stroke="#7fd1b9" stroke-width="2.6" stroke-linecap="round" /><circle cx="10" cy="13" r="2.2" fill="#ff8f6b" /></svg>plethos
      </router-link>
      <div class="who"><b>{{ character.state?.name }}</b> <span class="muted">v{{ character.state?.version ?? '' }}</span></div>
      <nav aria-label="Stations">
        <button v-for="s in stations" :key="s.name" :class="{ on: station === s.name }" :aria-current="station === s.name ? 'page' : undefined" @click="go(s.name)"><span class="num">{{ s.key }}</span>{{ s.label }}</button>
      </nav>
      <WorkList />
      <div class="saved" role="status" :class="{ lost: live.lost || live.elsewhere }"><i />{{ saved }}</div>
      <el-button v-if="live.gone" size="small" @click="live.bringBack()">Bring it back</el-button>
      <el-button v-else-if="live.elsewhere" size="small" @click="live.takeOver()">Take over</el-button>
      <button class="icon" :disabled="!character.state?.undo" :title="character.state?.undo ? `Undo: ${character.state.undo} (Ctrl+Z)` : 'Nothing to undo'" aria-label="Undo" @click="character.undo()">↶</button>
      <button class="icon" :disabled="!character.state?.redo" title="Redo (Ctrl+Shift+Z)" aria-label="Redo" @click="character.redo()">↷</button>
      <button class="icon" title="The past: steps and named states" aria-label="Past" @click="past = true">
        <svg width="16" height="16" viewBox="0 0 16 16" aria-hidden="true"><path d="M2.5 3v3.2h3.2M2.8 6.2A5.7 5.7 0 1 1 2.3 9M8 5v3.3l2.3 1.5" fill="none" stroke="currentColor" stroke-width="1.5" stroke-linecap="round" stroke-linejoin="round" /></svg>
      </button>
      <button class="icon" title="Keys (?)" aria-label="Keys" @click="help = true">?</button>
    </header>
    <main v-if="character.failure" class="failure"><h1>{{ character.failure }}</h1><router-link to="/">Back to the library</router-link></main>
    <main v-else-if="!character.figure" class="failure"><p class="muted">Opening …</p></main>
    <template v-else>
      <component :is="shown.page" v-if="shown.page" />
      <!-- The view is made once and stays, with its camera; stations change what is round it. -->
      <div v-show="!shown.page" class="station" @click="letGo">
        <aside class="left">
          <BodyMap />
          <PoseList />
          <KeptPoses />
          <DialList />
        </aside>
        <component :is="character.flat ? DrawingView : FigureView" :key="character.id"><component :is="shown.over" v-if="shown.over" /></component>
        <component :is="shown.panel" v-if="shown.panel" />
        <aside v-else />
        <ClipStrip v-if="posing.clip" class="strip" />
        <BendStrip v-else class="strip" />
      </div>
    </template>
    <PastDrawer v-model="past" />
    <KeyList v-model="help" />
  </div>
</template>

<style scoped>
.frame { display: grid; grid-template-rows: 44px minmax(0, 1fr); height: 100%; }
header { display: flex; align-items: center; gap: 12px; padding: 0 14px; background: var(--panel); border-bottom: 1px solid var(--line); }
.brand { display: flex; gap: 8px; align-items: center; font-weight: 700; font-size: 15px; color: var(--text); text-decoration: none; letter-spacing: 0.02em; }
.who b { font-weight: 600; }
nav { display: flex; margin: 0 auto; }
nav button { height: 44px; padding: 0 16px; border: 0; background: none; color: var(--muted); font: inherit; display: flex; gap: 7px; align-items: center; cursor: pointer; border-bottom: 3px solid transparent; border-top: 3px solid transparent; }
nav button .num { font-size: 11px; color: #b3acc2; }
nav button.on { color: var(--text); font-weight: 600; border-bottom-color: var(--accent); }
.saved { display: flex; gap: 6px; align-items: center; font-size: 12px; color: var(--muted); }
.saved i { width: 7px; height: 7px; border-radius: 50%; background: var(--accent); }
.saved.lost { color: var(--warn); }
.saved.lost i { background: var(--warn); }
.icon { width: 28px; height: 28px; border: 0; border-radius: 4px; background: none; color: var(--text); font-size: 16px; cursor: pointer; }
.icon:disabled { color: #5b5568; cursor: default; }
.failure { display: grid; place-content: center; gap: 12px; text-align: center; }
.failure h1 { font-size: 16px; }
.failure a { color: var(--accent); }
</style>
