/** The open character: what the server last said it is, and edits of it. */
import { ElMessage } from 'element-plus'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { api, Problem, type CharacterState, type DialRule, type FigureInfo } from '@/api/client'
import { unpackMesh, type Mesh } from '@/api/mesh'
import { CLAY } from '@/view/heat'

/** Show what went wrong, as a sentence. */
export function say(error: unknown): void {
  if (error instanceof DOMException && error.name === 'AbortError') return
  const text = error instanceof Problem ? error.message : 'Something went wrong on this page.'
  if (!(error instanceof Problem)) console.error(error)
  ElMessage({ message: text, type: 'warning', duration: 6000, showClose: true, grouping: true })
}

export const useCharacter = defineStore('character', () => {
  const id = ref('')
  const figure = shallowRef<FigureInfo | null>(null)
  const mesh = shallowRef<Mesh | null>(null)
  const state = shallowRef<CharacterState | null>(null)
  const saving = ref(0)
  const failure = ref('')

  const dials = computed(() => (state.value?.dials ?? []) as DialRule[])
  const sculpting = computed(() => state.value?.sculpt ?? null)
  /** Whether it is a drawing. */
  const flat = computed(() => figure.value?.drawing != null)
  /** Sizes are kept for a person 178 cm tall, so that a brush fits characters of any size. */
  const sizeFactor = computed(() => (figure.value?.height ?? 1.78) / 1.78)

  /** A place as it is looked at, with Y up: the file may have Z for that. */
  const upright = ([x, y, z]: readonly number[]): [number, number, number] => (state.value?.up === 'z' ? [x, z, -y] : [x, y, z])

  /** Read a character; whether it is there now, and still the one that is wanted. */
  async function open(wanted: string): Promise<boolean> {
    close()
    id.value = wanted
    try {
      const [info, data, now] = await Promise.all([api.figure(wanted), api.mesh(wanted), api.state(wanted)])
      if (id.value !== wanted) return false
      figure.value = info
      mesh.value = unpackMesh(data, CLAY)
      state.value = now
      return true
    } catch (error) {
      failure.value = error instanceof Problem ? error.message : 'The character could not be opened.'
      if (!(error instanceof Problem)) console.error(error)
      return false
    }
  }

  function close(): void {
    id.value = failure.value = ''
    figure.value = mesh.value = state.value = null
  }

  /** Take over what the character is now. */
  async function take(now: CharacterState): Promise<void> {
    // A page is told of its own edits twice: by the answer, and by the socket.
    if (now.id !== id.value || now.revision === state.value?.revision) return
    // Joints that were edited come with the state that names them, or half of the page speaks of joints that are gone.
    const other = state.value !== null && state.value.skeleton !== now.skeleton
    const info = other ? await api.figure(id.value).catch((error) => (say(error), null)) : null
    // A drawing may have other points now: a fill was split, or that was undone.
    const data = info?.drawing && info.vertices !== figure.value?.vertices ? await api.mesh(id.value).catch((error) => (say(error), null)) : null
    if (now.id !== id.value) return
    state.value = now
    if (info) figure.value = info
    if (data) mesh.value = unpackMesh(data, CLAY)
  }

  async function refresh(): Promise<void> {
    try {
      await take(await api.state(id.value))
    } catch (error) {
      say(error)
    }
  }

  /** Run an edit: saved when it comes back, and only then shown. */
  async function edit(run: (character: string) => Promise<CharacterState>): Promise<boolean> {
    saving.value += 1
    try {
      await take(await run(id.value))
      return true
    } catch (error) {
      say(error)
      return false
    } finally {
      saving.value -= 1
    }
  }

  const undo = () => edit((c) => api.undo(c))
  const redo = () => edit((c) => api.redo(c))

  return { id, figure, mesh, state, flat, saving, failure, dials, sculpting, sizeFactor, upright, open, close, take, refresh, edit, undo, redo }
})
