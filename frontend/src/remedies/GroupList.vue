<script setup lang="ts">
/** Groups: several remedies with one factor, on and off together. */
import { computed, ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLook } from '@/workbench/look'
import { useMending } from '@/workbench/mending'
import StoredSlider from './StoredSlider.vue'

type Group = Schemas['GroupRule']
const character = useCharacter()
const looks = useLook()
const mending = useMending()
const name = ref<string | null>(null)
const locked = computed(() => character.sculpting !== null)
const groups = computed(() => (character.state?.groups ?? []).map((g) => ({ ...g, members: character.state!.remedies.filter((r) => r.group === g.id) })))
const put = (g: Group, more: Partial<Group>) => character.edit((c) => api.putGroup(c, { id: g.id, name: g.name, factor: g.factor, on: g.on, members: null, ...more }))
async function make(): Promise<void> {
  const members = mending.tiedHere.filter((r) => !r.group).map((r) => r.id)
  if (await character.edit((c) => api.putGroup(c, { name: name.value!.trim(), factor: 1, on: true, members }))) name.value = null
}
</script>

<template>
  <section v-if="character.state?.remedies.length">
    <header><h2>Groups</h2><el-button v-if="name === null" size="small" text :disabled="locked" title="A group of all remedies at this joint that are in none" @click="name = ''">New from these</el-button></header>
    <form v-if="name !== null" @submit.prevent="make">
      <el-input v-model="name" size="small" maxlength="120" placeholder="Name" aria-label="Name of the group" />
      <el-button size="small" native-type="submit" type="primary" :disabled="!name.trim()">Make</el-button>
      <el-button size="small" text @click="name = null">Cancel</el-button>
    </form>
    <div v-for="g in groups" :key="g.id!" class="group" :data-group="g.id">
      <span class="name" :title="g.members.map((r) => r.name).join(', ')">{{ g.name }} <span class="muted">{{ g.members.length }}</span></span>
      <el-button size="small" :type="looks.alone === g.id ? 'primary' : ''" :aria-pressed="looks.alone === g.id" @click="looks.alone = looks.alone === g.id ? null : g.id!">Alone</el-button>
      <el-button size="small" :disabled="locked" @click="put(g, { on: !g.on })">{{ g.on ? 'Switch off' : 'Switch on' }}</el-button>
      <el-button size="small" text :disabled="locked" :aria-label="`Delete the group ${g.name}`" title="The remedies in it stay" @click="character.edit((c) => api.deleteGroup(c, g.id!))">×</el-button>
      <StoredSlider :value="Math.round((g.factor ?? 1) * 100)" :max="200" :label="`Factor of ${g.name}`" @change="(v: number) => put(g, { factor: v / 100 })" />
    </div>
  </section>
</template>

<style scoped>
section { margin-top: 18px; }
header { display: flex; justify-content: space-between; align-items: center; }
h2 { font-size: 14px; }
form { display: flex; gap: 6px; }
form .el-button { margin: 0; }
.group { display: grid; grid-template-columns: 1fr auto auto auto; gap: 4px; align-items: center; font-size: 12.5px; margin-top: 4px; }
.group .el-button { margin: 0; }
.group .el-slider { grid-column: 1 / 5; padding: 0 8px; width: auto; }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
</style>
