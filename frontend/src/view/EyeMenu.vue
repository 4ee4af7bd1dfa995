<script setup lang="ts">
/** How the eye looks: lens, a cut facing it, skins seen through, the skin smoothed, a region left out. */
import { computed } from 'vue'
import { useCharacter } from '@/workbench/character'
import { useLook, type Ghost } from '@/workbench/look'
import { useTools } from '@/workbench/tools'

const character = useCharacter()
const looks = useLook()
const tools = useTools()
const NONE = 'none'
const ghosts = computed<{ value: Ghost | 'none'; label: string }[]>(() => [
  { value: NONE, label: 'none' },
  { value: 'rest', label: 'at rest' },
  { value: 'start', label: character.sculpting ? 'before this sculpt' : 'without remedies' },
  ...(character.sculpting?.remedy_id ? ([{ value: 'before', label: 'the target before' }, { value: 'after', label: 'the target after' }] as const) : []),
])
const regions = computed(() => [...(tools.picked ? [{ name: '', label: 'what is picked' }] : []), ...tools.kept.map((r) => ({ name: r.name, label: r.name }))])
const changed = computed(() => looks.cut > 0 || looks.fine || looks.ghost !== null || looks.hides !== null)
const hide = (command: string) => {
  const [how, region] = command.split('\n')
  looks.hides = how === 'all' ? null : { region, outside: how === 'outside' }
}
const hidden = computed(() => (looks.hides ? `${looks.hides.outside ? 'outside\n' : 'inside\n'}${looks.hides.region}` : 'all'))
</script>

<template>
  <el-popover placement="bottom-end" :width="270" trigger="click">
    <template #reference>
      <button :class="{ on: changed }" title="Lens, cut, ghosts, smoothed skin">Eye</button>
    </template>
    <div class="eye">
      <label v-if="!character.flat">Lens <el-slider v-model="looks.lens" :min="18" :max="100" size="small" :show-tooltip="false" aria-label="Focal length" /><b class="num">{{ looks.lens }} mm</b></label>
      <label v-if="!character.flat" title="Cuts away what is nearer to the eye: to work in an armpit or a fold">Cut <el-slider v-model="looks.cut" :min="0" :max="1" :step="0.01" size="small" :show-tooltip="false" aria-label="Where the view is cut open" /><b class="num">{{ looks.cut ? `${Math.round(looks.cut * 100)} %` : 'off' }}</b></label>
      <div class="line">Ghost <el-select :teleported="false" :model-value="looks.ghost ?? NONE" size="small" aria-label="Skin that is seen through" @update:model-value="(g: Ghost | 'none') => (looks.ghost = g === NONE ? null : g)"><el-option v-for="g in ghosts" :key="g.value" :value="g.value" :label="g.label" /></el-select></div>
      <label v-if="character.flat" title="How strongly the ghost is seen">Strength <el-slider v-model="looks.ghostStrength" :min="0.1" :max="1" :step="0.05" size="small" :show-tooltip="false" aria-label="How strongly the ghost is seen" /><b class="num">{{ Math.round(looks.ghostStrength * 100) }} %</b></label>
      <el-checkbox v-if="character.flat" v-model="looks.clean" size="small" label="the drawing alone (C)" />
      <div v-if="regions.length && !character.flat" class="line">Hide <el-select :teleported="false" :model-value="hidden" size="small" aria-label="Region that is not drawn" @update:model-value="hide"><el-option value="all" label="nothing" /><template v-for="r in regions" :key="r.name"><el-option :value="`inside\n${r.name}`" :label="r.label" /><el-option :value="`outside\n${r.name}`" :label="`all but ${r.label}`" /></template></el-select></div>
      <el-checkbox v-if="!character.flat" v-model="looks.fine" size="small" label="smoothed skin (V)" title="Smoothed by one level of subdivision; brushes meet the skin as it is" />
      <el-checkbox v-if="character.sculpting && !character.flat" v-model="looks.moved" size="small" label="show what this sculpt has moved" />
    </div>
  </el-popover>
</template>

<style scoped>
/* A label round a select would open it again with every choice. */
.eye > label:not(.el-checkbox), .line { display: grid; grid-template-columns: 52px 1fr 48px; gap: 10px; align-items: center; font-size: 12px; color: var(--muted); }
.line { grid-template-columns: 44px 1fr; margin: 3px 0; }
.eye b { font-weight: 500; text-align: right; }
.eye .el-slider { height: 26px; }
</style>
