<script setup lang="ts">
/** What is drawn over the figure: joints and bones, arcs to bend by, the way of a helper, markers, the brush. */
import { ref } from 'vue'
import { axisName, plainName, sameAxis } from '@/workbench/angles'
import { useLook } from '@/workbench/look'
import { usePose } from '@/workbench/pose'
import { useTools } from '@/workbench/tools'
import { BARS } from './bars'
import type { Arc, Bone, Dot, View } from './joints'
import type { useArcs } from './useArcs'
import type { useBrush } from './useBrush'
import type { StopDot, useHelperPath } from './useHelperPath'
import type { MarkerDot, usePlacing } from './usePlacing'
import type { useReach } from './useReach'

type Ring = ReturnType<typeof useBrush>['ring']['value']
const props = defineProps<{
  dots: Dot[]; bones: Bone[]; arcs: Arc[]; markers: MarkerDot[]; path: string; stops: StopDot[]; ring: Ring; otherRing: Ring
  brushing: boolean; width: number; height: number; seen: () => View
  placing: ReturnType<typeof usePlacing>; bending: ReturnType<typeof useArcs>; reach: ReturnType<typeof useReach>; helper: ReturnType<typeof useHelperPath>
}>()
const posing = usePose()
const looks = useLook()
const tools = useTools()
const over = ref<SVGSVGElement>()

/** The joint that is meant where the circles of several lie over each other: the one nearest to the pointer. */
function nearest(event: MouseEvent, name: string): string {
  const box = over.value!.getBoundingClientRect()
  const away = (d: Dot) => Math.hypot(d.x - event.clientX + box.left, d.y - event.clientY + box.top)
  const own = props.dots.find((d) => d.name === name)
  return props.dots.reduce<Dot | undefined>((best, d) => (d.seen && (!best || away(d) < away(best)) ? d : best), own)?.name ?? name
}

/** Whether a label to the right of a marker would lie under the bars in the corner. */
const besideBars = (m: MarkerDot) => m.y < BARS + 10 && m.x > props.width - 470
</script>

<template>
  <svg ref="over" class="over" :width="width" :height="height" :aria-hidden="markers.length === 0 && stops.length === 0 && arcs.length === 0" :role="markers.length ? 'group' : undefined" :aria-label="markers.length ? 'Markers' : undefined">
    <g v-if="looks.joints" aria-hidden="true">
      <line v-for="b in bones" :key="b.key" :x1="b.x1" :y1="b.y1" :x2="b.x2" :y2="b.y2" class="bone" />
      <template v-for="d in dots" :key="d.name">
        <circle v-if="d.seen" :cx="d.x" :cy="d.y" :r="d.name === posing.chosen ? 5 : 3" class="dot" :class="{ on: d.name === posing.chosen }" />
        <circle
          v-if="d.seen && !brushing" :cx="d.x" :cy="d.y" r="9" class="catch" :data-joint="d.name"
          :class="{ grab: tools.placing }" @click="reach.dragged() || posing.chooseJoint(tools.placing ? d.name : nearest($event, d.name))"
          @pointerdown="tools.placing ? placing.grabJoint($event, d.name) : reach.grab($event, nearest($event, d.name))" @pointermove="tools.placing ? placing.drag($event) : reach.drag($event)"
          @pointerup="tools.placing ? placing.drop() : reach.drop()" @pointercancel="tools.placing ? placing.cancel() : reach.cancel()"
        ><title>{{ plainName(d.name) }}{{ !tools.placing && reach.canReach(d.name) ? ': drag it, and the two joints above it turn' : '' }}</title></circle>
      </template>
    </g>
    <g v-if="looks.joints">
      <g v-for="a in arcs" :key="a.axis.join()" class="arc" :class="{ on: sameAxis(a.axis, posing.axis) }">
        <path :d="a.path" class="line" />
        <path :d="a.path" class="hold" @pointerdown="bending.grab($event, a)" @pointermove="bending.drag" @pointerup="bending.drop" />
        <circle
          :cx="a.knobX" :cy="a.knobY" r="6" class="knob" :data-arc="axisName(a.axis)" tabindex="0" role="slider" :aria-label="`Bend about ${axisName(a.axis)}`" aria-valuemin="-180" aria-valuemax="180"
          :aria-valuenow="Math.round(bending.turned(a.axis))" :aria-valuetext="`${Math.round(bending.turned(a.axis))}°`" @keydown="bending.nudge($event, a)"
          @pointerdown="bending.grab($event, a)" @pointermove="bending.drag" @pointerup="bending.drop"
        ><title>Bend about {{ axisName(a.axis) }}</title></circle>
      </g>
    </g>
    <g v-if="path || stops.length" class="way" role="group" aria-label="The way of the helper joint">
      <path :d="path" />
      <circle v-for="s in stops" :key="`${s.rule} ${s.knot}`" :cx="s.x" :cy="s.y" r="6" tabindex="0" role="button" :aria-label="`${s.label}: drag it, or move it by the arrow keys`" :data-stop="s.knot" @pointerdown="helper.grab($event, s, seen())" @pointermove="helper.drag" @pointerup="helper.drop" @pointercancel="helper.drop" @keydown="helper.nudge($event, s)" @blur="helper.rest"><title>{{ s.label }}: drag it</title></circle>
    </g>
    <g v-for="m in markers" :key="m.name" class="marker">
      <circle v-if="m.twin" :cx="m.twin.x" :cy="m.twin.y" r="4" class="ghost" />
      <circle :cx="m.x" :cy="m.y" r="7" class="spot" :data-marker="m.name" tabindex="0" role="button" :aria-label="`Marker ${m.label}: move it by the arrow keys`" @keydown="placing.nudgeMarker($event, m.name)" @pointerdown="placing.grabMarker($event, m.name)" @pointermove="placing.drag" @pointerup="placing.drop" @pointercancel="placing.cancel" />
      <text :x="m.x + (besideBars(m) ? -12 : 12)" :y="m.y + 4" :text-anchor="besideBars(m) ? 'end' : 'start'">{{ m.label }}</text>
    </g>
    <circle v-if="ring" :cx="ring.x" :cy="ring.y" :r="ring.r" class="ring" />
    <circle v-if="otherRing" :cx="otherRing.x" :cy="otherRing.y" :r="otherRing.r" class="ring other" />
    <circle v-if="ring" :cx="ring.x" :cy="ring.y" r="2" class="ring-dot" />
  </svg>
</template>

<style scoped>
.over { position: absolute; inset: 0; pointer-events: none; }
.bone { stroke: #ece8f1; stroke-opacity: 0.22; stroke-width: 1.2; }
.dot { fill: #1d1b22; fill-opacity: 0.35; stroke: #ece8f1; stroke-opacity: 0.55; stroke-width: 1.2; }
.dot.on { stroke: var(--accent); stroke-opacity: 1; fill: var(--accent); fill-opacity: 0.4; }
.catch { fill: transparent; pointer-events: all; cursor: pointer; }
.catch.grab { cursor: move; }
.marker .spot { fill: var(--accent); fill-opacity: 0.35; stroke: var(--accent); stroke-width: 2; pointer-events: all; cursor: move; }
.marker .spot:focus-visible { outline: none; fill-opacity: 0.8; stroke: var(--text); }
.marker .ghost { fill: #1d1b22; fill-opacity: 0.5; stroke: var(--accent); stroke-width: 1.5; }
.marker text { fill: var(--text); font-size: 12px; paint-order: stroke; stroke: #1d1b22; stroke-width: 3px; }
.arc .line { fill: none; stroke: #ece8f1; stroke-opacity: 0.18; stroke-width: 1.2; }
.arc.on .line { stroke: var(--accent); stroke-opacity: 0.85; stroke-width: 1.8; }
.arc .hold { fill: none; stroke: transparent; stroke-width: 9; pointer-events: stroke; cursor: grab; }
.arc .knob { fill: #26232d; fill-opacity: 0.85; stroke: #ece8f1; stroke-opacity: 0.4; stroke-width: 1.5; pointer-events: all; cursor: grab; }
.arc.on .knob { stroke: var(--accent); stroke-opacity: 1; }
.arc .knob:focus-visible { outline: 2px solid var(--accent); outline-offset: 3px; }
.way path { fill: none; stroke: var(--warn); stroke-width: 1.8; stroke-dasharray: 5 3; }
.way circle { fill: #26232d; stroke: var(--warn); stroke-width: 2; pointer-events: all; cursor: grab; }
.way circle:focus-visible { outline: none; fill: var(--warn); }
.ring { fill: #7fd1b922; stroke: var(--accent); stroke-width: 1.5; }
.ring.other { fill: none; stroke-dasharray: 4 4; }
.ring-dot { fill: var(--accent); }
</style>
