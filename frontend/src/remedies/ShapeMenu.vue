<script setup lang="ts">
/** Housekeeping of a remedy: its place in the list, a copy; of a corrective, what is done to its shape. */
import { ElMessageBox } from 'element-plus'
import { computed } from 'vue'
import { api, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useMending } from '@/workbench/mending'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const mending = useMending()
const place = computed(() => mending.all.findIndex((r) => r.id === props.remedy.id))
const shapes = computed(() => props.remedy.targets.length > 0)
/** Correctives that follow the same value, so that the two can be one. */
const alike = computed(() => (shapes.value ? mending.all.filter((r) => r.targets.length > 0 && r.id !== props.remedy.id && r.by === props.remedy.by) : []))
const parts = computed(() => character.figure?.parts.map((p) => p.name) ?? [])
const edit = character.edit
const id = computed(() => props.remedy.id)

/** Ask for a number; null when it is not given. */
async function ask(question: string, title: string, start: string, unit: string): Promise<number | null> {
  try {
    const { value } = await ElMessageBox.prompt(`${question} (${unit})`, title, { inputValue: start, inputPattern: /^-?\d+([.,]\d+)?$/, inputErrorMessage: 'A number, please.' })
    return Number(value.replace(',', '.'))
  } catch {
    return null
  }
}
async function act(command: string): Promise<void> {
  const [what, with_] = command.split('\n')
  if (what === 'up' || what === 'down') return void (await edit((c) => api.moveRemedy(c, id.value, place.value + (what === 'up' ? -1 : 1))))
  if (what === 'copy') return void (await mending.making((c) => api.reshape(c, id.value, { how: 'copy' })))
  if (what === 'settle' || what === 'convert') return void (await edit((c) => api.reshape(c, id.value, { how: what })))
  if (what === 'merge') return void (await edit((c) => api.merge(c, id.value, with_)))
  if (what === 'carry') return void (await edit((c) => api.reshape(c, id.value, { how: 'carry', part: with_ })))
  if (what === 'scale') {
    const percent = await ask('How far its shape goes', 'Scale', '100', 'percent of now')
    if (percent !== null) await edit((c) => api.reshape(c, id.value, { how: 'scale', factor: percent / 100 }))
  } else if (what === 'trim') {
    const [unit, many] = character.flat ? ['units', 1] : ['millimetres', 1000]
    const least = await ask('Offsets shorter than this drop out', 'Trim', '0.1', unit)
    if (least !== null) await edit((c) => api.reshape(c, id.value, { how: 'trim', least_m: least / many }))
  } else if (what === 'split') {
    const [unit, many] = character.flat ? ['units', 1] : ['centimetres', 100]
    const wide = await ask('How wide the two halves fade into each other', 'Split left and right', '4', unit)
    if (wide !== null) await edit((c) => api.reshape(c, id.value, { how: 'split', soft_m: wide / many }))
  }
}
</script>

<template>
  <el-dropdown trigger="click" max-height="340px" :disabled="character.sculpting !== null" @command="act">
    <el-button size="small" :disabled="character.sculpting !== null" :aria-label="`More about ${remedy.name}`">More ▾</el-button>
    <template #dropdown>
      <el-dropdown-menu>
        <el-dropdown-item command="copy">Copy it</el-dropdown-item>
        <el-dropdown-item command="up" :disabled="place <= 0">Move up in the list</el-dropdown-item>
        <el-dropdown-item command="down" :disabled="place >= mending.all.length - 1">Move down in the list</el-dropdown-item>
        <template v-if="shapes">
          <el-dropdown-item divided command="scale">Scale its shape …</el-dropdown-item>
          <el-dropdown-item command="settle" :disabled="remedy.amount === 1">Take the amount into its shape</el-dropdown-item>
          <el-dropdown-item command="trim">Trim small offsets …</el-dropdown-item>
          <el-dropdown-item command="split">Split left and right …</el-dropdown-item>
          <el-dropdown-item command="convert" title="Its offsets were made on the posed skin, in another program: it flies off and does not follow the joint">Recorded behind the skin: convert</el-dropdown-item>
          <el-dropdown-item v-for="r in alike" :key="r.id" :command="`merge\n${r.id}`" divided>Merge “{{ r.name }}” into it</el-dropdown-item>
          <el-dropdown-item v-for="(p, k) in parts" :key="p" :command="`carry\n${p}`" :divided="k === 0">Carry it to “{{ p }}”</el-dropdown-item>
        </template>
      </el-dropdown-menu>
    </template>
  </el-dropdown>
</template>
