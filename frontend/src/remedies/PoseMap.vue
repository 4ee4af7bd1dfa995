<script setup lang="ts">
/** Where the weights of stored poses lie round a joint: a disc of all swings of its bone, rest in the middle, or its twists. */
import { useDebounceFn } from '@vueuse/core'
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { api, type PoseSet, type Schemas } from '@/api/client'
import { say, useCharacter } from '@/workbench/character'
import { usePose } from '@/workbench/pose'

const props = defineProps<{ trigger: PoseSet; joint: string; /** The stored pose whose weight is shown. */ value?: string }>()
const character = useCharacter()
const posing = usePose()
const map = shallowRef<Schemas['MapOfPoses'] | null>(null)
const canvas = ref<HTMLCanvasElement>()
const SIZE = 168, MARGIN = 9, R = SIZE / 2 - MARGIN
const chosen = computed(() => Math.max(0, props.trigger.poses.findIndex((p) => p.id === props.value)))
const rolls = computed(() => props.trigger.poses[chosen.value]?.by === 'twist')
const at = (x: number, y: number) => ({ x: SIZE / 2 + R * x, y: SIZE / 2 - R * y })
const twistAt = (radians: number) => MARGIN + ((SIZE - 2 * MARGIN) * (radians + Math.PI)) / (2 * Math.PI)

const ask = useDebounceFn(async () => {
  const wanted = props.trigger.id
  if (!wanted) return
  try {
    const found = await api.poseMap(character.id, wanted, props.joint, posing.pose)
    if (wanted === props.trigger.id) map.value = found
  } catch (error) {
    say(error)
  }
}, 120)
watch(() => [posing.pose, props.trigger, props.joint], ask)
onMounted(ask)

/** The weight of the chosen pose as a wash over the disc. */
function wash(): void {
  const found = map.value, context = canvas.value?.getContext('2d')
  if (!found || !context) return
  const n = found.swings.length
  const image = context.createImageData(n, n)
  for (let v = 0; v < n; v++)
    for (let u = 0; u < n; u++) {
      const weight = found.swings[v][u][chosen.value]
      // Up in the map is up in the picture.
      image.data.set(weight < 0 ? [0, 0, 0, 0] : [127, 209, 185, Math.round(255 * (0.06 + 0.74 * weight))], 4 * ((n - 1 - v) * n + u))
    }
  context.canvas.width = context.canvas.height = n
  context.putImageData(image, 0, 0)
}
watch([map, chosen, canvas], wash, { flush: 'post' })
const curves = computed(() => map.value && props.trigger.poses.map((p, k) => ({
  id: p.id, own: k === chosen.value,
  d: map.value!.twists.map((row, t, all) => `${t ? 'L' : 'M'}${twistAt(-Math.PI + (2 * Math.PI * t) / (all.length - 1)).toFixed(1)} ${(60 - 50 * row[k]).toFixed(1)}`).join(''),
})))
const label = computed(() => `Weight of ${props.trigger.poses[chosen.value]?.name || 'the pose'} over ${rolls.value ? 'all rolls' : 'all bends'} of ${props.joint}`)
</script>

<template>
  <figure v-if="map">
    <svg v-if="rolls" :width="SIZE" height="78" role="img" :aria-label="label">
      <line :x1="MARGIN" :x2="SIZE - MARGIN" y1="60" y2="60" class="grid" /><line :x1="SIZE / 2" :x2="SIZE / 2" y1="8" y2="60" class="grid" />
      <path v-for="c in curves" :key="c.id!" :d="c.d" :class="{ own: c.own }" class="curve" />
      <line :x1="twistAt(map.here[2])" :x2="twistAt(map.here[2])" y1="6" y2="62" class="here" />
      <text :x="MARGIN" y="74">−180°</text><text :x="SIZE / 2" y="74" text-anchor="middle">rest</text><text :x="SIZE - MARGIN" y="74" text-anchor="end">180°</text>
    </svg>
    <div v-else class="disc" :style="{ width: `${SIZE}px`, height: `${SIZE}px` }">
      <canvas ref="canvas" :style="{ inset: `${MARGIN}px`, width: `${2 * R}px`, height: `${2 * R}px` }" />
      <svg :width="SIZE" :height="SIZE" role="img" :aria-label="label">
        <circle v-for="share in [0.25, 0.5, 0.75, 1]" :key="share" :cx="SIZE / 2" :cy="SIZE / 2" :r="R * share" class="grid" />
        <text :x="SIZE / 2 + R / 2 + 2" :y="SIZE / 2 - 3">90°</text>
        <circle :cx="SIZE / 2" :cy="SIZE / 2" r="2.5" class="rest" />
        <g v-for="(p, k) in map.poses" :key="k" :class="{ own: k === chosen }">
          <rect :x="at(p[0], p[1]).x - 4" :y="at(p[0], p[1]).y - 4" width="8" height="8" rx="2" class="stored"><title>{{ trigger.poses[k]?.name || `pose ${k + 1}` }}</title></rect>
        </g>
        <circle :cx="at(map.here[0], map.here[1]).x" :cy="at(map.here[0], map.here[1]).y" r="5" class="here" />
      </svg>
    </div>
    <figcaption>{{ rolls ? 'Roll' : 'Bends of the bone, seen from its end' }}: the ring is now, squares are stored poses, the wash is how much of this one is on.</figcaption>
  </figure>
</template>

<style scoped>
figure { margin: 6px 0 0; display: grid; gap: 4px; justify-items: center; }
figcaption { font-size: 11.5px; color: var(--muted); }
.disc { position: relative; }
canvas { position: absolute; border-radius: 50%; image-rendering: auto; }
svg { position: relative; }
.grid { fill: none; stroke: var(--line); }
text { fill: var(--muted); font-size: 10px; }
.rest { fill: var(--muted); }
.stored { fill: var(--panel); stroke: var(--muted); stroke-width: 1.6; }
.own .stored { stroke: var(--text); fill: var(--accent); }
.here { fill: none; stroke: var(--text); stroke-width: 2; }
.curve { fill: none; stroke: var(--muted); stroke-width: 1.2; }
.curve.own { stroke: var(--accent); stroke-width: 2; }
</style>
