<script setup lang="ts">
/** Which joint of the character takes on which of a motion's; each change is stored and seen at once. */
import { computed } from 'vue'
import { api, type Schemas } from '@/api/client'
import JointSelect from '@/workbench/JointSelect.vue'
import { useCharacter } from '@/workbench/character'

const props = defineProps<{ motion: Schemas['MotionInfo'] }>()
const open = defineModel<boolean>()
const character = useCharacter()
const taken = computed(() => props.motion.joints.filter((j) => j.joint).length)
const map = (source: string, joint: string | null) => character.edit((c) => api.mapMotion(c, props.motion.name, { [source]: joint }))
</script>

<template>
  <el-dialog v-model="open" :title="`Joints of “${motion.name}”`" width="460" :modal="false" draggable append-to-body>
    <p class="muted">{{ taken }} of {{ motion.joints.length }} joints of the motion move a joint of this character. A joint takes on one; what is left alone keeps to what it hangs on.</p>
    <p v-if="motion.left_out.length" class="left" data-left-out>The file also moves {{ motion.left_out.map((n) => `“${n}”`).join(', ') }} against the joint above: of these only the turns are taken.</p>
    <div class="rows">
      <template v-for="j in motion.joints" :key="j.name">
        <span :class="{ muted: !j.joint }">{{ j.name }}</span>
        <span class="to">
          <JointSelect :model-value="j.joint ?? undefined" size="small" placeholder="nothing" :aria-label="`What takes on ${j.name}`" @update:model-value="(name: string | undefined) => map(j.name, name ?? null)" />
          <el-button v-if="j.joint" size="small" text :aria-label="`Let ${j.name} go`" @click="map(j.name, null)">×</el-button>
        </span>
      </template>
    </div>
  </el-dialog>
</template>

<style scoped>
p { font-size: 12.5px; margin-bottom: 8px; }
.left { color: var(--warning); }
.rows { display: grid; grid-template-columns: 1fr 220px; gap: 4px 10px; align-items: center; max-height: 46vh; overflow-y: auto; font-size: 12.5px; }
.to { display: flex; gap: 2px; }
</style>
