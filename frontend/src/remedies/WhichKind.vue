<script setup lang="ts">
/** Which kind of remedy suits the held joint: each is tried and measured; one click takes it. */
import { computed, ref, watch } from 'vue'
import { api, type Schemas } from '@/api/client'
import { plainName } from '@/workbench/angles'
import { say, useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'
import { usePose } from '@/workbench/pose'
import { kindNames } from './kinds'

const character = useCharacter()
const mending = useMending()
const posing = usePose()
const found = ref<Schemas['KindsTried'] | null>(null)
const busy = ref(false)
const taking = ref('')
/** What it was found for: another pose or another version makes it old. */
const subject = computed(() => JSON.stringify([posing.chosen, posing.pose, character.state?.revision]))
watch(subject, () => (found.value = null))
const best = computed(() => found.value?.kinds.find((k) => k.kind === found.value?.proposed))
const order = computed(() => [...(found.value?.kinds ?? [])].sort((a, b) => (a.off ?? 1e9) - (b.off ?? 1e9)))

async function ask(): Promise<void> {
  busy.value = true
  const asked = subject.value
  try {
    const answer = await api.whichKind(character.id, posing.pose, posing.chosen)
    if (asked === subject.value) found.value = answer
  } catch (error) {
    say(error)
  } finally {
    busy.value = false
  }
}
async function take(kind: string): Promise<void> {
  const known = new Set(character.state?.remedies.map((r) => r.id))
  taking.value = kind
  if (await character.edit((c) => api.takeKind(c, kind, posing.pose, posing.chosen))) {
    const made = character.state?.remedies.find((r) => !known.has(r.id))
    if (made) mending.chosenRemedy = made.id
  }
  taking.value = ''
}
const percent = (value: number | null | undefined) => (value == null ? '–' : value.toFixed(1))
</script>

<template>
  <div>
    <el-button :loading="busy" :disabled="posing.atRest" title="Tries each kind of remedy on this joint and measures what it gives back" @click="ask">Which kind?</el-button>
    <section v-if="found" class="kinds" :aria-label="`Kinds of remedy for ${plainName(posing.chosen).toLowerCase()}`">
      <p v-if="best" role="status" class="why"><b>{{ kindNames[best.kind] }}.</b> {{ best.why }}</p>
      <p v-else role="status" class="why">No kind betters what there is now.</p>
      <table>
        <thead><tr><th scope="col">Tried</th><th scope="col">Volume</th><th scope="col">Girth</th><th scope="col">Contacts</th><th scope="col"><span class="sr">Take</span></th></tr></thead>
        <tbody>
          <tr class="now"><th scope="row">Now</th><td class="num">{{ percent(found.now.volume) }}</td><td class="num">{{ percent(found.now.girth) }}</td><td class="num">{{ found.now.contacts }}</td><td /></tr>
          <tr v-for="k in order" :key="k.kind" :class="{ best: k.kind === found.proposed }" :title="k.why">
            <th scope="row">{{ kindNames[k.kind] }}</th>
            <template v-if="k.can">
              <td class="num">{{ percent(k.volume) }}</td><td class="num">{{ percent(k.girth) }}</td><td class="num">{{ k.contacts }}</td>
              <td><el-button size="small" :type="k.kind === found.proposed ? 'primary' : ''" :loading="taking === k.kind" :aria-label="`Take ${kindNames[k.kind].toLowerCase()}`" @click="take(k.kind)">Take</el-button></td>
            </template>
            <td v-else colspan="4" class="cannot">{{ k.why }}</td>
          </tr>
        </tbody>
      </table>
    </section>
  </div>
</template>

<style scoped>
.kinds { border: 1px solid var(--line); border-radius: 5px; background: var(--raised); padding: 9px 10px; margin-top: 8px; }
.why { font-size: 12.5px; margin-bottom: 6px; }
table { width: 100%; border-collapse: collapse; font-size: 12px; }
th { text-align: left; font-weight: 400; color: var(--muted); padding: 3px 4px 3px 0; }
td { text-align: right; padding: 2px 0 2px 6px; }
tbody tr { border-top: 1px solid var(--line); }
.best th { color: var(--accent); }
.now td { color: var(--loss); }
.cannot { color: var(--muted); text-align: left; font-size: 11.5px; }
td .el-button { padding: 3px 7px; }
.sr { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); }
</style>
