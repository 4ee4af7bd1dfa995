<script setup lang="ts">
/** The character's past: name the present state, look at the named ones, go back to one, forget old steps. */
import { ElMessageBox } from 'element-plus'
import { ref, watch } from 'vue'
import { api, type Schemas } from '@/api/client'
import { say, useCharacter } from './character'
import { useLook } from './look'

const open = defineModel<boolean>({ required: true })
const character = useCharacter()
const looks = useLook()
const past = ref<Schemas['PastInfo'] | null>(null)
const name = ref('')
/** Steps that are kept when the others are forgotten. */
const KEEP = 50

const show = (found: Promise<Schemas['PastInfo']>) => found.then((now) => (past.value = now)).catch(say)
watch([open, () => character.state?.revision], () => { if (open.value) void show(api.past(character.id)) })

async function keepState(): Promise<void> {
  const picture = await looks.picture?.()
  const found = await api.nameState(character.id, name.value).catch(say)
  if (!found) return
  name.value = ''
  if (picture) await api.keepPictureOfState(character.id, found.named[0]!.id, picture).catch(say)
  await show(api.past(character.id))
}
async function thin(): Promise<void> {
  const sentence = `All but the last ${KEEP} steps, the first, and those with a name are forgotten. That cannot be undone.`
  if (await ElMessageBox.confirm(sentence, 'Forget old steps', { confirmButtonText: 'Forget them', cancelButtonText: 'Keep them' }).catch(() => null) !== 'confirm') return
  await api.thinPast(character.id, KEEP).catch(say)
  await character.refresh()
  await show(api.past(character.id))
}
const when = (at: string) => new Date(at).toLocaleString([], { month: 'short', day: 'numeric', hour: '2-digit', minute: '2-digit' })
const few = (words: string[]) => (words.length > 4 ? [...words.slice(0, 4), `${words.length - 4} more`] : words).join(', ')
</script>

<template>
  <el-drawer v-model="open" title="Past" size="340px" class="past">
    <form class="row" @submit.prevent="keepState">
      <el-input v-model="name" placeholder="Name this state" aria-label="Name this state" maxlength="120" />
      <el-button type="primary" native-type="submit" :disabled="!name.trim()">Keep</el-button>
    </form>
    <template v-if="past">
      <ul v-if="past.named.length" class="named" aria-label="Named states">
        <li v-for="state in past.named" :key="state.id" :aria-label="state.name">
          <img v-if="state.picture" :src="api.pictureOfState(character.id, state.id)" alt="">
          <div v-else class="blank" />
          <div>
            <b>{{ state.name }}</b> <span class="muted">{{ when(state.made_at) }}</span>
            <p class="muted">{{ state.changed.length ? `Since then: ${few(state.changed)}.` : 'Nothing has changed since.' }}</p>
            <el-button size="small" :disabled="!state.changed.length" @click="character.edit((c) => api.goBack(c, state.id))">Go back</el-button>
            <el-button size="small" text @click="show(api.unnameState(character.id, state.id))">Forget the name</el-button>
          </div>
        </li>
      </ul>
      <p v-else class="muted">States that you name stay, however many steps follow, and can be gone back to.</p>
      <h3>{{ past.steps }} {{ past.steps === 1 ? 'step' : 'steps' }}</h3>
      <ol class="steps">
        <li v-for="(step, i) in past.newest" :key="i"><span :title="step.label">{{ step.label }}</span><time class="muted">{{ when(step.made_at) }}</time></li>
      </ol>
      <p v-if="past.steps > past.newest.length" class="muted">and {{ past.steps - past.newest.length }} before</p>
      <el-button v-if="past.steps > KEEP + 1" @click="thin">Forget old steps …</el-button>
    </template>
  </el-drawer>
</template>

<style scoped>
.row { display: flex; gap: 8px; margin-bottom: 12px; }
.named, .steps { list-style: none; margin: 0; padding: 0; }
.named li { display: grid; grid-template-columns: 64px 1fr; gap: 10px; padding: 10px 0; border-bottom: 1px solid var(--line); }
.named img, .blank { width: 64px; height: 64px; object-fit: contain; border-radius: 4px; background: var(--raised); }
.named p { margin: 4px 0 6px; overflow-wrap: anywhere; }
h3 { margin: 16px 0 6px; }
.steps li { display: flex; justify-content: space-between; gap: 10px; padding: 3px 0; }
.steps span { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.steps time { flex: none; font-size: 12px; }
</style>

<style>
.past .el-drawer__header { margin-bottom: 8px; }
</style>
