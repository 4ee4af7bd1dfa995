<script setup lang="ts">
/** What the card of every kind of remedy has: its name and live activation, on, alone, amount, delete. */
import { ElMessageBox } from 'element-plus'
import { computed } from 'vue'
import { api, type RemedyCard } from '@/api/client'
import { useCharacter } from '@/workbench/character'
import { useLive } from '@/workbench/live'
import { useLook } from '@/workbench/look'
import { useMending } from '@/workbench/mending'
import OrderPicture from './OrderPicture.vue'
import ShapeMenu from './ShapeMenu.vue'
import StoredSlider from './StoredSlider.vue'

const props = defineProps<{ remedy: RemedyCard }>()
const character = useCharacter()
const live = useLive()
const looks = useLook()
const mending = useMending()
const open = computed(() => mending.chosenRemedy === props.remedy.id)
const activation = computed(() => live.frame?.activations[props.remedy.id] ?? 0)
const locked = computed(() => character.sculpting !== null)

const findings = computed(() => mending.findings.filter((f) => f.remedy_id === props.remedy.id))
const turn = (on: boolean) => character.edit((c) => api.changeRemedy(c, props.remedy.id, { on }))
const setAmount = (percent: number) => character.edit((c) => api.changeRemedy(c, props.remedy.id, { amount: percent / 100 }))
const toggleAlone = () => (looks.alone = looks.alone === props.remedy.id ? null : props.remedy.id)

async function rename(): Promise<void> {
  try {
    const { value } = await ElMessageBox.prompt('What is this remedy called?', 'Rename', { inputValue: props.remedy.name, confirmButtonText: 'Rename' })
    await character.edit((c) => api.changeRemedy(c, props.remedy.id, { name: value }))
  } catch {
    // Closed without a new name.
  }
}
</script>

<template>
  <article class="card" :class="{ on: open, off: !remedy.on }" :data-remedy="remedy.id" :data-kind="remedy.kind">
    <button class="title" :aria-expanded="open" @click="mending.chooseRemedy(remedy.id)">
      <slot name="icon" />
      <span class="name">{{ remedy.name }}</span>
      <span class="num share">{{ remedy.on ? `${Math.round(activation * 100)} %` : 'off' }}</span>
    </button>
    <div class="bar" role="meter" :aria-label="`Activation of ${remedy.name}`" :aria-valuenow="Math.round(activation * 100)" aria-valuemin="0" aria-valuemax="100"><i :style="{ width: `${activation * 100}%` }" /></div>
    <slot name="tells" />
    <p v-for="f in findings" :key="f.kind + f.text" class="sentence warn" role="status">{{ f.text }}
      <el-button v-if="f.click" size="small" :disabled="locked" @click="character.edit((c) => api.mendFinding(c, remedy.id, f.kind))">{{ f.click }}</el-button>
      <OrderPicture v-if="f.kind === 'order'" />
    </p>
    <p v-for="w in [...(remedy.report.warnings ?? []), ...remedy.notes]" :key="w" class="sentence warn">{{ w }}
      <el-button v-if="remedy.twin && w.includes('have no partner')" size="small" text :aria-pressed="looks.lone === remedy.twin" @click="looks.lone = looks.lone === remedy.twin ? null : (remedy.twin ?? null)">{{ looks.lone === remedy.twin ? 'Hide them' : 'Show them' }}</el-button>
    </p>
    <div class="row">
      <slot name="does" />
      <el-button size="small" :type="looks.alone === remedy.id ? 'primary' : ''" :aria-pressed="looks.alone === remedy.id" @click="toggleAlone">Alone</el-button>
      <el-button size="small" :disabled="locked" @click="turn(!remedy.on)">{{ remedy.on ? 'Switch off' : 'Switch on' }}</el-button>
      <el-button v-if="open" size="small" :disabled="locked" :title="remedy.twin ? 'The other side goes along with every change; free it to go its own way' : 'The same on the other side: shape, trigger, names and signs; it goes along with every change'" @click="character.edit((c) => (remedy.twin ? api.freeTwin(c, remedy.id) : api.makeTwin(c, remedy.id)))">{{ remedy.twin ? 'Free its twin' : 'Make twin' }}</el-button>
      <el-button v-if="open" size="small" :disabled="locked" @click="rename">Rename</el-button>
    </div>
    <template v-if="open">
      <fieldset :disabled="locked">
        <slot name="edits" />
        <label v-if="character.state?.groups.length" class="amount">Group
          <el-select :model-value="remedy.group ?? ''" size="small" aria-label="Group of the remedy" @update:model-value="(id: string) => character.edit((c) => api.joinGroup(c, remedy.id, id || null))"><el-option value="" label="none" /><el-option v-for="g in character.state.groups" :key="g.id!" :value="g.id!" :label="g.name" /></el-select>
        </label>
        <label class="amount">Amount
          <StoredSlider :value="Math.round(remedy.amount * 100)" :max="200" label="Amount" @change="setAmount" />
        </label>
      </fieldset>
      <slot name="numbers" />
      <div class="row">
        <slot name="ends" />
        <ShapeMenu :remedy="remedy" />
        <el-button size="small" :disabled="locked" @click="character.edit((c) => api.deleteRemedy(c, remedy.id))">{{ remedy.targets.length > 1 ? `Delete with ${remedy.targets.length - 1} in-between${remedy.targets.length > 2 ? 's' : ''}` : 'Delete' }}</el-button>
      </div>
    </template>
  </article>
</template>

<style scoped>
.card { background: var(--raised); border: 1px solid var(--line); border-radius: 5px; padding: 9px 10px 10px; margin-top: 8px; }
.card.on { border-color: #7fd1b988; }
.card.off .bar i { background: #6f6880; }
.title { display: flex; align-items: center; gap: 8px; width: 100%; background: none; border: 0; color: var(--text); font: inherit; font-weight: 600; padding: 0; cursor: pointer; text-align: left; }
.title :slotted(svg) { color: var(--accent); flex: none; }
.name { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.share { margin-left: auto; color: var(--muted); font-weight: 400; white-space: nowrap; }
.bar { height: 5px; background: var(--ground); border-radius: 3px; margin: 7px 0 6px; overflow: hidden; }
.bar i { display: block; height: 100%; background: var(--accent); }
.sentence, :slotted(.sentence) { color: var(--muted); font-size: 12.5px; }
:slotted(.sentence) b { color: var(--text); }
.warn, :slotted(.warn) { color: var(--warn); }
.row { display: flex; gap: 6px; margin-top: 9px; flex-wrap: wrap; }
.row .el-button, .row :slotted(.el-button) { margin: 0; }
fieldset { border: 0; padding: 0; margin: 0; min-width: 0; }
.amount { display: grid; grid-template-columns: 60px 1fr; align-items: center; font-size: 12px; color: var(--muted); margin: 6px 8px 0 0; }
</style>
