/** How the server is asked: problems as its sentences, files, answers that come line by line. */
import createClient from 'openapi-fetch'
import type { paths } from './schema'

export class Problem extends Error {
  /** What kind of problem it is, where a page offers a way out. */
  constructor(sentence: string, readonly kind = 'about:blank', readonly scenes: string[] = []) {
    super(sentence)
  }
}

/** Which page this is: the server tells its edits from those of another window by it. */
export const PAGE = crypto.randomUUID()
export const http = createClient<paths>({ baseUrl: window.location.origin, headers: { 'Plethos-Page': PAGE } })

export async function unwrap<T>(answer: Promise<{ data?: unknown; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await answer
  } catch (error) {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Problem('The server does not answer. Nothing was changed; is it still running?')
  }
  if (result.response.ok) return result.data as T
  const { detail, type } = (result.error ?? {}) as { detail?: unknown; type?: string }
  throw new Problem(typeof detail === 'string' ? detail : 'Something went wrong in the server.', type)
}

export const at = (id: string) => ({ path: { character_id: id } })
export const jointAt = (id: string, joint: string) => ({ path: { character_id: id, joint } })
export const remedyAt = (id: string, remedy: string) => ({ path: { character_id: id, remedy_id: remedy } })

/** The body of a request that sends one file. */
export function oneFile(file: File) {
  const form = new FormData()
  form.append('file', file, file.name)
  // The schema calls a file's bytes text.
  return { body: form as unknown as { file: string }, bodySerializer: () => form }
}

/** Read an answer that comes line by line, JSON each; of lines that come at once only the last counts. A last one may say what went wrong. */
export async function eachLine<T>(stream: ReadableStream<Uint8Array>, tell: (line: T) => void): Promise<void> {
  const reader = stream.pipeThrough(new TextDecoderStream() as ReadableWritablePair<string, Uint8Array>).getReader()
  let left = ''
  const read = () => reader.read().catch((error: unknown) => {
    if (error instanceof DOMException && error.name === 'AbortError') throw error
    throw new Problem('The server went away in the middle of it. What a worker has in hand goes on, and is shown at the top.')
  })
  for (let part = await read(); !part.done; part = await read()) {
    const lines = (left + part.value).split('\n')
    left = lines.pop() ?? ''
    const last = lines.at(-1)
    if (!last) continue
    const told = JSON.parse(last)
    if ('problem' in told) throw new Problem(told.problem)
    tell(told)
  }
}
