<script setup lang="ts">
/** What the program has solved for the held pose, and how much of the volume it gives back. */
import { computed, ref, watch } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'
import MendProgress from './MendProgress.vue'

const character = useCharacter()
const mending = useMending()
const mend = computed(() => character.sculpting?.mend ?? null)
const wanted = ref(100)
watch(mend, (now) => now && (wanted.value = Math.round(now.give_back * 100)), { immediate: true })
/** Strokes that came after it would be lost. */
const busy = computed(() => mending.solved !== null)
const sculptedOn = computed(() => (mend.value ? mend.value.strokes < (character.sculpting?.strokes ?? 0) : (character.sculpting?.strokes ?? 0) > 0))

const solve = () => mending.solveFirst(wanted.value / 100)
</script>

<template>
  <div class="mend">
    <template v-if="mend">
      <p role="status" :class="{ muted: sculptedOn }">
        <template v-if="sculptedOn">Before the strokes that came after it: volume&nbsp;</template><template v-else>Volume&nbsp;</template>
        <b class="num loss">{{ mend.volume_before.toFixed(1) }} %</b> → <b class="num gain">{{ mend.volume.toFixed(1) }} %</b>,
        new contacts <b class="num loss">{{ mend.contacts_before }}</b> → <b class="num" :class="mend.contacts ? 'loss' : 'gain'">{{ mend.contacts }}</b>,
        stretched <b class="num">{{ mend.stretch.toFixed(2) }}</b> times at most<template v-if="mend.unevenness">,
        neighbours apart by <b class="num">{{ mend.unevenness.toFixed(1) }}</b> of an edge at most</template>.
      </p>
      <p v-if="mend.given_back < mend.give_back - 0.005" class="muted">Only {{ Math.round(mend.given_back * 100) }} % of what is lost: more would stretch the skin over {{ mend.most_stretch.toFixed(1) }} times. A skin blend first leaves less to be given back.</p>
      <p v-else-if="mend.stretch > mend.most_stretch + 0.005" class="muted">Some edges stay stretched over {{ mend.most_stretch.toFixed(1) }} times: what lies on both sides of them holds them. Smooth it there.</p>
      <p v-if="mend.contacts && !sculptedOn" class="muted">What still crosses lies further from “{{ mend.joint }}”, or too deep to come out in one shape: add an in-between at a smaller angle, look at the weights there, or <b>Push apart</b>.</p>
      <label>Give back <span class="num">{{ wanted }} %</span> of what is lost
        <el-slider v-model="wanted" :min="10" :max="100" :step="5" :disabled="busy" size="small" aria-label="How much of the lost volume is given back" @change="solve" />
      </label>
      <p v-if="sculptedOn" class="muted">Solving again replaces the strokes that came after; undo brings them back.</p>
    </template>
    <el-button v-else size="small" :disabled="busy" @click="solve">Solve a first mend</el-button>
    <MendProgress />
  </div>
</template>

<style scoped>
.mend { margin: 8px 0; }
p { font-size: 12.5px; margin-bottom: 4px; }
label { display: block; font-size: 12px; color: var(--muted); }
.loss { color: var(--loss); }
.gain { color: var(--accent); }
.el-slider { margin: 0 8px; width: auto; }
</style>
