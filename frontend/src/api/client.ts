/** The typed client: one function a use case; every error is a `Problem` with a sentence for people. */
import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

type Schemas = components['schemas']
export type CharacterState = Schemas['CharacterState']
export type FigureInfo = Schemas['FigureInfo']
export type JointInfo = Schemas['JointInfo']
export type RemedyCard = Schemas['RemedyCard']
export type HingeTrigger = Schemas['HingeTriggerRule']
export type Knot = Schemas['Knot']
export type BendPoint = Schemas['BendPoint']
export type LibraryEntry = Schemas['LibraryEntry']
export type Brought = Schemas['Brought']
export type VertexWeight = Schemas['VertexWeight']
export type WeightFinding = Schemas['WeightFinding']
export type Axis = [number, number, number]
export type Quaternion = [number, number, number, number]
export type Joints = Record<string, Quaternion>
export type Preset = Schemas['PresetRequest']['preset']

export class Problem extends Error {}

const http = createClient<paths>({ baseUrl: window.location.origin })

async function unwrap<T>(answer: Promise<{ data?: unknown; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await answer
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Problem('The server does not answer. Nothing was changed; is it still running?')
  }
  if (result.response.ok) return result.data as T
  const detail = (result.error as { detail?: unknown } | undefined)?.detail
  throw new Problem(typeof detail === 'string' ? detail : 'Something went wrong in the server.')
}

const at = (id: string) => ({ path: { character_id: id } })
const remedyAt = (id: string, remedy: string) => ({ path: { character_id: id, remedy_id: remedy } })

export const api = {
  library: (): Promise<LibraryEntry[]> => unwrap(http.GET('/api/characters')),
  rename: (id: string, name: string): Promise<LibraryEntry> =>
    unwrap(http.PATCH('/api/characters/{character_id}', { params: at(id), body: { name } })),
  remove: (id: string): Promise<void> => unwrap(http.DELETE('/api/characters/{character_id}', { params: at(id) })),
  state: (id: string): Promise<CharacterState> => unwrap(http.GET('/api/characters/{character_id}', { params: at(id) })),
  figure: (id: string): Promise<FigureInfo> => unwrap(http.GET('/api/characters/{character_id}/figure', { params: at(id) })),
  mesh: (id: string): Promise<ArrayBuffer> =>
    unwrap(http.GET('/api/characters/{character_id}/mesh', { params: at(id), parseAs: 'arrayBuffer' })),
  bend: (id: string, joint: string, axis: Axis, angles: number[], joints: Joints, signal: AbortSignal): Promise<BendPoint[]> =>
    unwrap(
      http.POST('/api/characters/{character_id}/bend', {
        params: at(id),
        body: { joint, axis, angles_deg: angles, pose: { joints } },
        signal,
      }),
    ),
  undo: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/undo', { params: at(id) })),
  redo: (id: string): Promise<CharacterState> => unwrap(http.POST('/api/characters/{character_id}/redo', { params: at(id) })),
  preset: (id: string, preset: Preset, start: number, end: number): Promise<Knot[]> =>
    unwrap(
      http.POST('/api/characters/{character_id}/response', {
        params: at(id),
        body: { preset, start_deg: start, end_deg: end },
      }),
    ),
  changeRemedy: (id: string, remedy: string, body: { name?: string; on?: boolean; amount?: number }): Promise<CharacterState> =>
    unwrap(
      http.PATCH('/api/characters/{character_id}/remedies/{remedy_id}', { params: remedyAt(id, remedy), body }),
    ),
  setTrigger: (id: string, remedy: string, trigger: HingeTrigger | null): Promise<CharacterState> =>
    unwrap(
      http.PUT('/api/characters/{character_id}/remedies/{remedy_id}/trigger', {
        params: remedyAt(id, remedy),
        body: { trigger },
      }),
    ),
  deleteRemedy: (id: string, remedy: string): Promise<CharacterState> =>
    unwrap(
      http.DELETE('/api/characters/{character_id}/remedies/{remedy_id}', { params: remedyAt(id, remedy) }),
    ),
  beginSculpt: (id: string, joints: Joints, remedy: string | null): Promise<CharacterState> =>
    unwrap(
      http.POST('/api/characters/{character_id}/sculpt', {
        params: at(id),
        body: { pose: { joints }, remedy_id: remedy },
      }),
    ),
  proposal: (id: string): Promise<HingeTrigger> =>
    unwrap(http.GET('/api/characters/{character_id}/sculpt/proposal', { params: at(id) })),
  keepSculpt: (id: string, name: string, trigger: HingeTrigger | null): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/keep', { params: at(id), body: { name, trigger } })),
  weightFindings: (id: string): Promise<WeightFinding[]> =>
    unwrap(http.GET('/api/characters/{character_id}/bind/findings', { params: at(id) })),
  mendStray: (id: string, joint: string | null): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/mend', { params: at(id), body: { joint } })),
  givePart: (id: string, part: string, joint: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/give', { params: at(id), body: { part, joint } })),
  moveJoint: (id: string, joint: string, at: [number, number, number], mirror: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/place', { params: { path: { character_id: id } }, body: { joint, at, mirror } })),
  vertexWeights: (id: string, vertex: number): Promise<VertexWeight[]> =>
    unwrap(http.GET('/api/characters/{character_id}/bind/vertices/{vertex}', { params: { path: { character_id: id, vertex } } })),
  setWeight: (id: string, vertex: number, body: Schemas['SetWeight']): Promise<CharacterState> =>
    unwrap(http.PUT('/api/characters/{character_id}/bind/vertices/{vertex}', { params: { path: { character_id: id, vertex } }, body })),
  mirrorWeights: (id: string, fromLeft: boolean): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/bind/mirror', { params: at(id), body: { from_left: fromLeft } })),
  dropSculpt: (id: string): Promise<CharacterState> =>
    unwrap(http.POST('/api/characters/{character_id}/sculpt/drop', { params: at(id) })),
}

/** Bring in files, with progress from 0 to 1 and a way to cancel. */
export function bringIn(files: File[], progress: (share: number) => void, signal: AbortSignal): Promise<Brought> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    const form = new FormData()
    for (const file of files) form.append('files', file, file.name)
    request.open('POST', '/api/characters')
    request.responseType = 'json'
    request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total)
    request.onload = () => {
      if (request.status === 201) resolve(request.response as Brought)
      else reject(new Problem(request.response?.detail ?? 'The file could not be brought in.'))
    }
    request.onerror = () => reject(new Problem('The server does not answer. Nothing was brought in.'))
    request.onabort = () => reject(new DOMException('Cancelled', 'AbortError'))
    signal.addEventListener('abort', () => request.abort())
    request.send(form)
  })
}

export function deliveryAddress(id: string, bake: string | null): string {
  const query = bake ? `?bake=${encodeURIComponent(bake)}` : ''
  return `/api/characters/${id}/delivery.glb${query}`
}
