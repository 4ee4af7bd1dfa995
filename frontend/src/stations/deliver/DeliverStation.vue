<script setup lang="ts">
/** Deliver: the character as a file. */
import { computed, ref, shallowRef, watch, type ShallowRef } from 'vue'
import { api, deliveryAddress } from '@/api/client'
import { plainName } from '@/workbench/angles'
import DrawingDelivery from './DrawingDelivery.vue'
import { say, useCharacter } from '@/workbench/character'

const character = useCharacter()
const bake = ref('')
const influences = ref(4)
const correctives = computed(() => character.state?.remedies.filter((r) => r.targets.length > 0) ?? [])

/** What the server says of a choice, asked with each choice and each version; an answer that was overtaken is let go. */
function answered<Choice, Answer>(choice: () => Choice | null, ask: (choice: Choice) => Promise<Answer>): ShallowRef<Answer | null> {
  const found = shallowRef<Answer | null>(null)
  watch([choice, () => character.state?.revision] as const, async ([asked, revision]) => {
    found.value = null
    if (asked === null) return
    try {
      const answer = await ask(asked)
      if (asked === choice() && revision === character.state?.revision) found.value = answer
    } catch (error) {
      say(error)
    }
  }, { immediate: true })
  return found
}
const limit = answered(() => (character.flat ? null : influences.value), (most) => api.deliveryLimit(character.id, most))
const loss = answered(() => bake.value || null, (clip) => api.clipLoss(character.id, clip))
const lost = computed(() => {
  const { remedies, millimetres, time_s, part } = loss.value!
  if (!remedies.length) return 'Everything that acts in the clip is in the file.'
  const names = remedies.map((n) => `“${n}”`).join(', ')
  if (millimetres < 0.1) return `The file cannot hold ${names}; without, the skin is off by less than 0.1 mm in this clip.`
  return `The file cannot hold ${names}. Without, the skin is off by ${millimetres.toFixed(1)} mm at most: on ${part}, at ${time_s.toFixed(2)} s. Bake them into correctives in Mend, and it can.`
})
const told = computed(() => {
  const { vertices, millimetres, joint, angle_deg, part } = limit.value!
  if (!vertices) return `No vertex follows more than ${influences.value} joints: nothing moves.`
  const count = vertices === 1 ? '1 vertex follows' : `${vertices} vertices follow`
  if (!joint || millimetres < 0.1) return `${count} more than ${influences.value} joints; with fewer they move by less than 0.1 mm.`
  return `${count} more than ${influences.value} joints. With fewer the skin moves by ${millimetres.toFixed(1)} mm at most: on ${part}, when ${plainName(joint).toLowerCase()} turns to ${angle_deg!.toFixed(0)}°.`
})
</script>

<template>
  <main class="deliver">
    <DrawingDelivery v-if="character.flat" />
    <section v-else>
      <h1>GLB with remedies</h1>
      <p class="muted">
        One glTF 2.0 file. Everything that came in goes out as it was; each corrective is a morph target, and its rule lies in
        <code>extras.plethos</code>, so the file comes back here with remedies and triggers intact.
      </p>
      <label>Bake activations into a clip
        <el-select v-model="bake" aria-label="Clip to bake" placeholder="Do not bake">
          <el-option value="" label="Do not bake" />
          <el-option v-for="c in character.state?.clips ?? []" :key="c.name" :value="c.name" :label="`${c.name} (${c.seconds.toFixed(1)} s)`" />
        </el-select>
      </label>
      <p class="muted hint">A baked clip carries correctives and helper joints as keys, 30 per second, so that any viewer shows them. Without it, a player has to know the rules.</p>
      <p v-if="loss" class="hint" data-loss :class="{ far: loss.millimetres >= 5 }">{{ lost }}</p>
      <div class="influences">
        <span>Joints a vertex may follow</span>
        <el-radio-group v-model="influences" aria-label="Joints a vertex may follow"><el-radio-button :value="4" label="4" /><el-radio-button :value="8" label="8" /></el-radio-group>
      </div>
      <p class="muted hint">Most players read four. Vertices of more joints are weighed anew, so that they move as much alike as they can.</p>
      <p v-if="limit" class="hint" data-limit :class="{ far: limit.millimetres >= 5 }">{{ told }}</p>
      <a class="el-button el-button--primary" :href="deliveryAddress(character.id, bake || null, influences)" download>Deliver GLB</a>
      <h2>What is in it</h2>
      <dl>
        <dt>Parts</dt><dd class="num">{{ character.figure?.parts.length }}</dd>
        <dt>Joints</dt><dd class="num">{{ character.figure?.joints.length }}</dd>
        <dt>Correctives</dt><dd class="num">{{ correctives.length }}</dd>
        <dt>of these tied to a joint</dt><dd class="num">{{ correctives.filter((r) => r.trigger).length }}</dd>
        <dt>Clips</dt><dd class="num">{{ character.state?.clips.length }}</dd>
      </dl>
      <template v-if="character.figure?.repairs.length">
        <h2>Mended on reading</h2>
        <ul><li v-for="r in character.figure.repairs" :key="r">{{ r }}</li></ul>
      </template>
    </section>
  </main>
</template>

<style scoped>
.deliver { overflow: auto; padding: 32px; display: grid; justify-items: center; }
section { width: min(620px, 100%); }
h1 { font-size: 20px; margin-bottom: 6px; }
h2 { font-size: 14px; margin: 26px 0 6px; }
section > label { display: grid; gap: 4px; margin: 18px 0 6px; max-width: 340px; }
.influences { display: flex; gap: 14px; align-items: center; margin: 6px 0; }
.influences .el-radio-group { margin: 0; }
.hint { font-size: 12.5px; margin-bottom: 16px; }
.far { color: var(--loss); }
.el-button { text-decoration: none; }
dl { display: grid; grid-template-columns: 1fr auto; max-width: 340px; gap: 2px 12px; color: var(--muted); margin: 0; }
dd { margin: 0; color: var(--text); }
code { font-family: 'Mono'; font-size: 12px; }
</style>
