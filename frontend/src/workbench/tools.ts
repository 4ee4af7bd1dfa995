/** What the pointer does over the skin: pose, sculpt, paint, pick or place joints; and what the brush is set to. */
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Schemas, type PickBody, type Point, type Pose, type Target } from '@/api/client'
import { DRAGS, type Dab, type PaintMode, type ToolSettings, type Within } from '@/api/live'
import { say, useCharacter } from './character'
import { usePose } from './pose'
import { useLive } from './live'
import { useLook } from './look'

export type BrushName = 'grab' | 'inflate' | 'smooth' | 'flatten' | 'draw_together' | 'slide' | 'even_loop' | 'push' | 'push_apart' | 'put_back'
export type OutlineBrush = Schemas['OutlineSettings']['brush']
export type Tool = 'pose' | PaintMode | 'give' | 'pick' | 'take' | 'piece' | 'place' | 'make'
export type MaskMode = 'add' | 'take' | 'smooth'
export type BindTab = 'weights' | 'regions' | 'joints'

/** How much further than the brush reaches the weights of a helper at a spot go. */
const SPOT = 2
const PAINTS: Tool[] = ['add', 'subtract', 'replace', 'smooth', 'even']

export const useTools = defineStore('tools', () => {
  const character = useCharacter()
  const posing = usePose()
  const live = useLive()
  const looks = useLook()
  const tool = ref<Tool>('pose')
  const bindTab = ref<BindTab>('weights')
  /** Whether the station Bind is open. */
  const binds = ref(false)
  const brush = ref<BrushName>('inflate')
  const brushSize = useLocalStorage('plethos-brush-size', 0.05)
  const brushStrength = useLocalStorage('plethos-brush-strength', 0.4)
  /** The share of the brush over which it fades; 0 = held whole up to the rim. */
  const brushFalloff = useLocalStorage('plethos-brush-falloff', 1)
  /** The brush for the outlines of a drawing. */
  const outlineBrush = ref<OutlineBrush>('move')
  /** How far along an outline neighbours come along, as a share of the drawing's height. */
  const along = useLocalStorage('plethos-along', 0)
  const otherOutlines = ref(false)
  /** Whether the key is held that makes any brush smooth. */
  const smoothing = ref(false)
  /** Which surface under the pointer the brush reaches: 1 the front one, 2 and 3 those behind it. */
  const layer = ref<1 | 2 | 3>(1)
  const borderStays = ref(true)
  /** Whether a sculpt is done on the other side too. */
  const bothSides = ref(false)
  /** Whether the brush takes other pieces along that the same joints move. */
  const through = ref(false)
  const paintValue = ref(1)
  /** What the brush does to the mask that is shown. */
  const maskMode = ref<MaskMode>('add')
  /** Whether a click on the skin makes a helper joint there. */
  const spotting = ref(false)
  /** Whether what is done to weights, joints and regions is done on the other side too. */
  const mirrored = ref(true)
  const locked = ref<string[]>([])
  /** The region that brushes are kept to, or kept out of; empty = what is picked. */
  const withinRegion = ref('')
  const keepTo = ref<'everywhere' | 'inside' | 'outside'>('everywhere')
  /** The vertex whose influences are listed, or null. */
  const vertex = ref<number | null>(null)
  /** What joints that are made are called; those made by clicks get a number too. */
  const jointName = ref('')
  /** Where the markers of the template stand while a skeleton is being laid; null = none is. */
  const markers = shallowRef<Record<string, Point> | null>(null)
  /** The mirror image of each vertex, -1 for none; asked for once a brush that mirrors is taken. */
  const twins = shallowRef<Int32Array | null>(null)

  /** The brush's radius over the surface, metres. */
  const brushReach = computed(() => brushSize.value * character.sizeFactor)
  const painting = computed(() => PAINTS.includes(tool.value) && !character.sculpting && posing.chosen !== '')
  const picking = computed(() => (tool.value === 'pick' || tool.value === 'take') && !character.sculpting)
  const placing = computed(() => tool.value === 'place' && !character.sculpting)
  /** Whether a click on the skin makes a joint there. */
  const making = computed(() => tool.value === 'make' && !character.sculpting)
  /** Whether the brush paints the mask of a remedy. */
  const masking = computed(() => looks.mask !== null && !character.sculpting)
  const piecing = computed(() => spotting.value || ((tool.value === 'give' || tool.value === 'piece') && !character.sculpting))
  /** Whether the pointer works on the skin instead of posing. */
  const brushing = computed(() => character.sculpting !== null || painting.value || picking.value || masking.value)
  const sculptBrush = computed<BrushName>(() => (smoothing.value ? 'smooth' : brush.value))
  /** Whether the brush holds what it took at first and follows the pointer. */
  const grabs = computed(() => character.sculpting !== null && DRAGS.includes(sculptBrush.value))
  /** Whether the other side is worked on too. */
  const mirrors = computed(() => (character.sculpting ? bothSides.value : !masking.value && mirrored.value))
  const within = computed<Within>(() =>
    keepTo.value === 'everywhere' ? null : { region: withinRegion.value, outside: keepTo.value === 'outside' },
  )
  const picked = computed(() => character.state?.regions.find((r) => r.name === '')?.vertices ?? 0)
  const kept = computed(() => character.state?.regions.filter((r) => r.name !== '') ?? [])
  const pickedTarget: Target = { region: '' }

  function resize(factor: number): void {
    brushSize.value = Math.max(0.005, Math.min(0.25, brushSize.value * factor))
  }

  /** What the server is told of the brush; equal for all touches of a stroke. */
  function settings(): ToolSettings {
    if (masking.value) return { tool: 'mask', remedy_id: looks.mask!, mode: smoothing.value ? 'smooth' : maskMode.value }
    if (picking.value) return { tool: 'pick', take: tool.value === 'take', mirror: mirrored.value }
    if (!painting.value) return { tool: 'sculpt', brush: sculptBrush.value, within: within.value, border_stays: borderStays.value, mirror: bothSides.value, through: through.value }
    return {
      tool: 'paint',
      joint: posing.chosen,
      mode: smoothing.value ? 'smooth' : (tool.value as PaintMode),
      value: paintValue.value,
      strength: 1,
      mirror: mirrored.value,
      locked: locked.value,
      within: within.value,
    }
  }
  const touch = (dab: Dab) => live.touch(settings(), dab)
  const alongReach = computed(() => along.value * (character.figure?.height ?? 1))
  /** Touch a point of an outline; `picked` move with it when it is one of them. */
  function touchOutline(vertex: number, at: Point, drag: Point, strength: number, picked: number[]): void {
    const settings: ToolSettings = { tool: 'outline', brush: outlineBrush.value, picked, others: otherOutlines.value }
    live.touch(settings, { triangle: vertex, at, radius: alongReach.value, strength, drag, falloff: 1 })
  }
  const endStroke = () => live.endStroke()

  /** Do to a region what the brush does. */
  function fill(mode: PaintMode, target: Target) {
    const body = { target, joint: posing.chosen, mode, value: paintValue.value, strength: brushStrength.value, locked: locked.value, mirror: mirrored.value }
    return character.edit((c) => api.fill(c, body))
  }

  /** Pick the connected piece, or the loop of edges, at a place on the posed skin. */
  function pickAt(by: 'piece' | 'loop', triangle: number, at: Point) {
    const how: PickBody['how'] = tool.value === 'take' ? 'take' : 'add'
    const body = { by, how, name: '', triangle, at, least: 0.05, pose: posing.pose, mirror: mirrored.value }
    return character.edit((c) => api.pick(c, body))
  }

  /** A click on the skin: a helper joint there, or the piece is given to the chosen joint, or picked. */
  function clickPiece(triangle: number, at: Point): void {
    if (spotting.value) {
      const spot = { triangle, at, radius: brushReach.value * SPOT }
      spotting.value = false
      void character.edit((c) => api.startHelper(c, { how: 'spot', pose: posing.pose, joint: posing.chosen, spot }))
    } else if (tool.value === 'give') void character.edit((c) => api.give(c, { piece: triangle }, posing.chosen))
    else void pickAt('piece', triangle, at)
  }

  /** Make a joint under the chosen one, at a place at rest or in a pose, and choose it: the next one hangs on it. */
  async function makeJoint(name: string, at: Point, pose: Pose): Promise<boolean> {
    const body = { name, parent: posing.chosen || null, at, pose, mirror: mirrored.value }
    if (!(await character.edit((c) => api.makeJoint(c, body)))) return false
    posing.chooseJoint(name)
    return true
  }

  /** The next name of a chain: the one that was typed, or the chosen joint's, with the next free number. */
  function nextName(): string {
    const base = jointName.value.trim() || posing.chosen.replace(/[_.\- ]?\d+$/, '') || 'joint'
    const taken = new Set(character.figure?.joints.map((j) => j.name))
    for (let k = 1; ; k += 1) if (!taken.has(`${base}_${k}`)) return `${base}_${k}`
  }

  async function beginLaying(): Promise<void> {
    try {
      markers.value = await api.markers(character.id)
      if (!posing.atRest) posing.toggleRest()
    } catch (error) {
      say(error)
    }
  }

  function reset(): void {
    tool.value = 'pose'
    locked.value = []
    layer.value = 1
    borderStays.value = true
    spotting.value = bothSides.value = through.value = smoothing.value = false
    keepTo.value = 'everywhere'
    withinRegion.value = ''
    jointName.value = ''
    vertex.value = markers.value = twins.value = null
  }
  watch(() => character.id, reset)
  // What is drawn from the side has no other side.
  watch(() => character.flat, (flat) => (mirrored.value = !flat), { immediate: true })
  // A joint, a vertex or a region that is gone is not held on to.
  watch(() => character.figure, (figure) => {
    locked.value = locked.value.filter((name) => figure?.joints.some((j) => j.name === name))
  })
  watch(kept, (regions) => {
    if (withinRegion.value && !regions.some((r) => r.name === withinRegion.value)) {
      withinRegion.value = ''
      keepTo.value = 'everywhere'
    }
  })
  const wantsTwins = computed(() => painting.value || picking.value || (character.sculpting !== null && bothSides.value))
  watch(wantsTwins, async () => {
    if (twins.value || !wantsTwins.value) return
    const of = character.id
    const found = await api.twins(of).catch(() => null)
    if (of === character.id) twins.value = found
  })
  watch([binds, bindTab, tool, keepTo], () => {
    looks.showsRegion = (binds.value && bindTab.value === 'regions') || picking.value || keepTo.value !== 'everywhere'
  })

  return {
    tool, bindTab, binds, brush, outlineBrush, along, alongReach, otherOutlines, touchOutline, brushSize, brushStrength, brushFalloff, smoothing, layer, borderStays, bothSides, through, mirrors, paintValue, maskMode, spotting, mirrored, locked, withinRegion, keepTo, vertex, jointName, markers, twins,
    brushReach, painting, picking, masking, placing, making, piecing, brushing, grabs, within, picked, kept, pickedTarget, resize, touch, endStroke, fill, pickAt, clickPiece, makeJoint, nextName, beginLaying, reset,
  }
})
