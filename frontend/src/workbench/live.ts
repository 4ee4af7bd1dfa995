/** The live side of the page: frames of the pose, strokes, and what is being dragged. */
import { useDebounceFn } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, Problem, type TriggerRule } from '@/api/client'
import { LiveSocket, type Contacts, type Dab, type Frame, type ToolSettings, type Want } from '@/api/live'
import { say, useCharacter } from './character'
import { useLook } from './look'
import { usePose } from './pose'
import { useWork } from './work'

export const useLive = defineStore('live', () => {
  const character = useCharacter()
  const posing = usePose()
  const looks = useLook()
  const work = useWork()
  const frame = shallowRef<Frame | null>(null)
  const contacts = shallowRef<Contacts | null>(null)
  const framesShown = ref(0)
  const connected = ref(false)
  /** Whether the server has gone away, or was never reached. */
  const lost = ref(false)
  /** Whether the character is being edited in another window. */
  const elsewhere = ref(false)
  /** Whether the character was deleted while it was open here. */
  const gone = ref(false)
  /** A trigger that is being changed, not stored yet. */
  const preview = shallowRef<Want['preview']>(null)
  /** The joint that is being dragged: its consequence is shown before it is stored. */
  const moving = shallowRef<Want['moving']>(null)
  /** The end of a limb that is dragged, and where to. */
  const reach = shallowRef<Want['reach']>(null)
  /** A kind of remedy that was tried and is seen at work, not stored; or null. */
  const trial = ref<string | null>(null)
  /** Numbers or rules of a remedy that are being changed, not stored yet. */
  const body = shallowRef<Want['body']>(null)
  let socket: LiveSocket | null = null

  const want = computed<Want>(() => ({
    without: looks.showsWithout,
    heat: looks.shading === 'volume',
    skin: looks.skin,
    alone: looks.alone,
    measure: posing.chosen || null,
    axis: posing.chosen ? posing.axis : null,
    // A drawing shows the points of what the joint moves while one works on them.
    weights: looks.shading === 'weights' || (character.flat && character.sculpting) ? posing.chosen || null : null,
    mixed: looks.shading === 'mixed',
    region: looks.showsRegion,
    mask: looks.mask,
    lone: looks.lone,
    border: looks.border,
    ghost: looks.ghost,
    moved: looks.moved,
    moving: moving.value,
    reach: reach.value,
    preview: preview.value,
    body: body.value,
    trial: trial.value,
  }))

  function connect(): void {
    socket = new LiveSocket(character.id, {
      frame: (f) => {
        frame.value = f
        // An answer that a newer pose has overtaken says nothing of that.
        if (f.angle_deg != null && !asks()) posing.told(f.angle_deg)
        framesShown.value += 1
      },
      contacts: (count) => (contacts.value = count),
      version: (state) => void character.take(state),
      job: (job) => work.follow(job),
      elsewhere: (yes) => (elsewhere.value = yes),
      gone: () => (gone.value = true),
      problem: (text) => say(new Problem(text)),
      connected: (yes) => {
        // After the server was away its state counts, not ours.
        if (yes && !connected.value && framesShown.value > 0) void character.refresh()
        if (yes) work.lookAgain()
        connected.value = yes
        lost.value = !yes
        if (yes) gone.value = false
      },
    })
    ask()
  }

  function disconnect(): void {
    socket?.close()
    socket = null
    frame.value = contacts.value = preview.value = moving.value = reach.value = body.value = trial.value = null
    work.jobs = []
    connected.value = lost.value = elsewhere.value = gone.value = false
    framesShown.value = 0
  }

  /** Whether a newer pose than the one that is shown was asked for. */
  const asks = () => socket?.asks ?? false

  // Counting takes longer than a frame: only once the pose rests, and never in the way of the next one.
  const count = useDebounceFn(() => socket?.countContacts(posing.pose, want.value), 250)

  function ask(): void {
    if (!character.mesh || !socket) return
    contacts.value = null
    socket.showPose(posing.pose, want.value)
    void count()
  }

  const touch = (settings: ToolSettings, dab: Dab) => socket?.touch(settings, dab, posing.pose, want.value)
  function endStroke(): void {
    socket?.endStroke()
    void count()
  }

  /** Edit here from now on, whoever did before. */
  const takeOver = () => api.takeOver(character.id).catch(say)
  /** Bring the character back that was deleted: every page that has it open goes on. */
  const bringBack = () => api.restore(character.id).catch(say)

  function previewTrigger(remedyId: string, trigger: TriggerRule): void {
    preview.value = { remedy_id: remedyId, trigger }
  }

  // What is stored is no preview any more; a new version is another figure.
  watch(() => character.state, () => {
    preview.value = body.value = trial.value = null
    ask()
  })
  watch(() => character.saving, (now, before) => now < before && (preview.value = body.value = null))
  watch([() => posing.pose, want], ask)

  return {
    frame, contacts, framesShown, connected, lost, elsewhere, gone, bringBack, preview, moving, reach, asks, body, trial, connect, disconnect, touch, endStroke,
    takeOver, previewTrigger,
  }
})
