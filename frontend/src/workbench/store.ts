/** The workbench: one open character, its pose, what is chosen, and what the server last said. */
import { useDebounceFn } from '@vueuse/core'
import { ElMessage } from 'element-plus'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, type Axis, type CharacterState, type FigureInfo, type HingeTrigger, type Joints } from '@/api/client'
import { Problem } from '@/api/client'
import { unpackMesh, type Mesh } from '@/api/mesh'
import { CLAY } from '@/view/heat'
import { LiveSocket, type Contacts, type Dab, type Frame, type StrokeKind, type Want } from '@/api/live'
import { REST, sameAxis, turnDeg, twistDeg, withTwist } from './angles'

export type Shading = 'colour' | 'clay' | 'wire' | 'volume' | 'weights' | 'mixed'

export const useWorkbench = defineStore('workbench', () => {
  const id = ref('')
  const figure = shallowRef<FigureInfo | null>(null)
  const mesh = shallowRef<Mesh | null>(null)
  const state = shallowRef<CharacterState | null>(null)
  const frame = shallowRef<Frame | null>(null)
  const contacts = shallowRef<Contacts | null>(null)
  const framesShown = ref(0)
  const connected = ref(false)
  /** Whether the server has gone away, or was never reached. */
  const lost = ref(false)
  const saving = ref(0)
  const failure = ref('')

  const pose = ref<Joints>({})
  const chosen = ref('')
  const axis = ref<Axis>([0, 0, 1])
  const chosenRemedy = ref<string | null>(null)
  const alone = ref<string | null>(null)
  const preview = shallowRef<Want['preview']>(null)
  const worst = ref<Record<string, number>>({})

  const shading = ref<Shading>('colour')
  const wipe = ref(true)
  const holding = ref(false)
  const joints = ref(true)
  /** Names of the parts that are not drawn. */
  const hidden = ref<string[]>([])
  /** The joint that is being dragged: its consequence is shown before it is stored. */
  const moving = shallowRef<Want['moving']>(null)
  /** Whether the view shows what is picked. */
  const showsRegion = ref(false)
  /** How far automatic weights have got, or null. */
  const binding = ref<number | null>(null)
  let heldPose: Joints | null = null
  let live: LiveSocket | null = null

  const sculpting = computed(() => state.value?.sculpt ?? null)
  /** Sizes are kept for a person 178 cm tall, so that a brush fits characters of any size. */
  const sizeFactor = computed(() => (figure.value?.height ?? 1.78) / 1.78)
  const jointInfo = computed(() => figure.value?.joints.find((j) => j.name === chosen.value) ?? null)
  const angle = computed(() => twistDeg(pose.value[chosen.value] ?? REST, axis.value))
  const atRest = computed(() => Object.values(pose.value).every((q) => turnDeg(q) < 0.5))
  const tiedHere = computed(() => state.value?.remedies.filter((r) => r.trigger?.joint === chosen.value) ?? [])
  const elsewhere = computed(() => state.value?.remedies.filter((r) => r.trigger && r.trigger.joint !== chosen.value) ?? [])
  const untied = computed(() => state.value?.remedies.filter((r) => !r.trigger) ?? [])
  const remedy = computed(() => state.value?.remedies.find((r) => r.id === chosenRemedy.value) ?? null)
  const showsWeights = computed(() => shading.value === 'weights' || shading.value === 'mixed')
  const showsWithout = computed(() => !sculpting.value && !showsWeights.value && (wipe.value || holding.value))

  const want = computed<Want>(() => ({
    without: showsWithout.value,
    heat: shading.value === 'volume',
    alone: alone.value,
    measure: chosen.value || null,
    weights: shading.value === 'weights' ? chosen.value || null : null,
    mixed: shading.value === 'mixed',
    region: showsRegion.value,
    moving: moving.value,
    preview: preview.value,
  }))

  function say(error: unknown): void {
    if (error instanceof DOMException && error.name === 'AbortError') return
    const text = error instanceof Problem ? error.message : 'Something went wrong on this page.'
    if (!(error instanceof Problem)) console.error(error)
    ElMessage({ message: text, type: 'warning', duration: 6000, showClose: true })
  }

  async function open(character: string): Promise<void> {
    close()
    id.value = character
    failure.value = ''
    try {
      const [info, data, now] = await Promise.all([api.figure(character), api.mesh(character), api.state(character)])
      figure.value = info
      mesh.value = unpackMesh(data, CLAY)
      await take(now)
      live = new LiveSocket(character, {
        frame: (f) => {
          frame.value = f
          framesShown.value += 1
        },
        contacts: (count) => (contacts.value = count),
        saved: (s) => void take(s),
        progress: (share) => (binding.value = share),
        problem: (text) => say(new Problem(text)),
        connected: (yes) => {
          // After the server was away its state counts, not ours.
          if (yes && connected.value === false && framesShown.value > 0) void refresh()
          connected.value = yes
          lost.value = !yes
        },
      })
      chooseFirst(info, now)
      ask()
    } catch (error) {
      failure.value = error instanceof Problem ? error.message : 'The character could not be opened.'
      if (!(error instanceof Problem)) console.error(error)
    }
  }

  function chooseFirst(info: FigureInfo, now: CharacterState): void {
    const first = now.remedies.find((r) => r.trigger)
    if (now.sculpt) pose.value = { ...(now.sculpt.pose.joints as Joints) }
    const turned = now.sculpt && Object.keys(now.sculpt.pose.joints ?? {})[0]
    if (turned) chooseJoint(turned)
    else if (first?.trigger) {
      // What a newcomer sees first: the remedy at work, without and with it side by side.
      chooseRemedy(first.id)
      goTo(first.trigger.joint, first.trigger.axis as Axis, first.trigger.end_deg ?? 90)
    } else {
      const bending = info.joints.find((j) => j.bends) ?? info.joints[0]
      if (bending) chooseJoint(bending.name)
    }
  }

  function close(): void {
    live?.close()
    live = null
    figure.value = mesh.value = state.value = frame.value = contacts.value = null
    pose.value = {}
    chosen.value = ''
    chosenRemedy.value = alone.value = preview.value = null
    worst.value = {}
    hidden.value = []
    binding.value = moving.value = null
    lost.value = false
    framesShown.value = 0
    heldPose = null
  }

  async function refresh(): Promise<void> {
    try {
      await take(await api.state(id.value))
    } catch (error) {
      say(error)
    }
  }

  async function take(now: CharacterState): Promise<void> {
    // Joints that were edited come with the state that names them, or half of the page speaks of joints that are gone.
    const other = state.value !== null && state.value.skeleton !== now.skeleton
    const info = other ? await api.figure(id.value).catch((error) => (say(error), null)) : null
    state.value = now
    preview.value = null
    if (now.sculpt) pose.value = { ...(now.sculpt.pose.joints as Joints) }
    if (alone.value && !now.remedies.some((r) => r.id === alone.value)) alone.value = null
    if (chosenRemedy.value && !now.remedies.some((r) => r.id === chosenRemedy.value)) chosenRemedy.value = null
    if (info) takeFigure(info)
    ask()
  }

  /** What is chosen or turned may be gone, or called otherwise. */
  function takeFigure(info: FigureInfo): void {
    const before = jointInfo.value
    const joints = figure.value?.joints ?? []
    const parent = joints.find((j) => j.index === before?.parent)?.name
    const there = (name: string | undefined) => info.joints.find((j) => j.name === name)
    figure.value = info
    const known = Object.entries(pose.value).filter(([name]) => there(name))
    if (known.length < Object.keys(pose.value).length) pose.value = Object.fromEntries(known)
    heldPose = null
    // As many joints as before: the one in its place has another name now. Fewer: it was deleted.
    const renamed = info.joints.length === joints.length ? info.joints.find((j) => j.index === before?.index) : undefined
    const next = there(chosen.value) ?? renamed ?? there(parent) ?? info.joints[0]
    if (next && next.name !== chosen.value) chooseJoint(next.name)
    else if (!next) chosen.value = ''
    else if (before && sameAxis(axis.value, before.hinge_axis as Axis)) axis.value = [...next.hinge_axis] as Axis
  }

  // Counting takes longer than a frame: only once the pose rests, and never in the way of the next one.
  const count = useDebounceFn(() => live?.countContacts(pose.value, want.value), 250)

  function ask(): void {
    if (!mesh.value || !live) return
    contacts.value = null
    live.showPose(pose.value, want.value)
    void count()
  }

  /** Run an edit: saved when it comes back, and only then shown. */
  async function edit(run: (character: string) => Promise<CharacterState>): Promise<boolean> {
    saving.value += 1
    try {
      await take(await run(id.value))
      return true
    } catch (error) {
      say(error)
      preview.value = null
      return false
    } finally {
      saving.value -= 1
    }
  }

  function chooseJoint(name: string): void {
    const info = figure.value?.joints.find((j) => j.name === name)
    if (!info) return
    chosen.value = name
    axis.value = [...info.hinge_axis] as Axis
    if (remedy.value?.trigger && remedy.value.trigger.joint !== name) chosenRemedy.value = null
  }

  function chooseRemedy(remedyId: string): void {
    chosenRemedy.value = remedyId
    const trigger = state.value?.remedies.find((r) => r.id === remedyId)?.trigger
    if (!trigger) return
    if (chosen.value !== trigger.joint) chosen.value = trigger.joint
    axis.value = [...trigger.axis] as Axis
  }

  /** Bend the chosen joint to an angle about the chosen axis. */
  function bendTo(degrees: number): void {
    if (!chosen.value || sculpting.value) return
    heldPose = null
    pose.value = { ...pose.value, [chosen.value]: withTwist(pose.value[chosen.value] ?? REST, axis.value, degrees) }
  }

  function goTo(joint: string, about: Axis, degrees: number): void {
    chosen.value = joint
    axis.value = [...about] as Axis
    bendTo(degrees)
  }

  /** Rest pose, and back to what it was. */
  function toggleRest(): void {
    if (sculpting.value) return
    if (!atRest.value) {
      heldPose = pose.value
      pose.value = {}
    } else if (heldPose) pose.value = heldPose
  }

  function resetJoint(name: string): void {
    if (sculpting.value) return
    const left = { ...pose.value }
    delete left[name]
    pose.value = left
  }

  const undo = () => edit((c) => api.undo(c))
  const redo = () => edit((c) => api.redo(c))

  async function beginSculpt(remedyId: string | null): Promise<void> {
    if (remedyId) {
      const trigger = state.value?.remedies.find((r) => r.id === remedyId)?.trigger
      const card = state.value?.remedies.find((r) => r.id === remedyId)
      if (card && (frame.value?.activations[remedyId] ?? 0) < 0.999) {
        if (trigger) goTo(trigger.joint, trigger.axis as Axis, trigger.end_deg ?? 90)
        else pose.value = poseOf(card.pose)
      }
    }
    await edit((c) => api.beginSculpt(c, pose.value, remedyId))
  }

  function touch(kind: StrokeKind, settings: Record<string, unknown>, dab: Dab): void {
    live?.touch(kind, settings, dab, pose.value, want.value)
  }

  function endStroke(kind: StrokeKind, settings: Record<string, unknown>): void {
    live?.endStroke(kind, settings)
    void count()
  }

  function automaticWeights(names: string[] | null, region: string | null = null): void {
    binding.value = 0
    live?.automatic(names, region)
  }

  /** A place at rest that the view is to look at. */
  const place = shallowRef<[number, number, number] | null>(null)
  function showPlace(at: [number, number, number]): void {
    if (!atRest.value) toggleRest()
    place.value = [...at]
  }

  const cancelAutomatic = () => live?.cancelAutomatic()

  function previewTrigger(remedyId: string, trigger: HingeTrigger): void {
    preview.value = { remedy_id: remedyId, trigger }
  }

  watch([pose, want], ask)

  return {
    id, figure, mesh, state, frame, contacts, framesShown, connected, lost, saving, failure, pose, chosen, axis, chosenRemedy, alone,
    preview, worst, shading, wipe, holding, joints, hidden, moving, showsRegion, sizeFactor, sculpting, jointInfo, angle, binding, place,
    atRest, tiedHere, elsewhere, untied, remedy, showsWeights, showsWithout, open, close, edit, say, chooseJoint, chooseRemedy, bendTo,
    goTo, toggleRest, resetJoint, undo, redo, beginSculpt, touch, endStroke, previewTrigger, automaticWeights, cancelAutomatic, showPlace,
  }
})

function poseOf(stored: Record<string, unknown>): Joints {
  const turned = (stored.joints ?? {}) as Record<string, { quaternion_xyzw: Joints[string] }>
  return Object.fromEntries(Object.entries(turned).map(([name, entry]) => [name, entry.quaternion_xyzw]))
}
