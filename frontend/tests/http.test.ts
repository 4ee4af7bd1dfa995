/** Answers that come line by line. */
import { expect, test } from 'vitest'
import { eachLine } from '@/api/http'

const stream = (parts: string[], end: (c: ReadableStreamDefaultController<Uint8Array>) => void = (c) => c.close()) => {
  const left = [...parts]
  return new ReadableStream<Uint8Array>({
    pull(c) {
      const part = left.shift()
      if (part === undefined) end(c)
      else c.enqueue(new TextEncoder().encode(part))
    },
  })
}
const read = async (from: ReadableStream<Uint8Array>) => {
  const told: unknown[] = []
  await eachLine(from, (line) => told.push(line)).catch((error: Error) => told.push(error.message))
  return told
}

test('each is told once it is whole; of those that come at once the last', async () => {
  expect(await read(stream(['{"a":1}\n{"a":', '2}\n{"a":3}\n', '{"a":4}\n']))).toEqual([{ a: 1 }, { a: 3 }, { a: 4 }])
})
test('a last line may say what went wrong', async () => {
  expect(await read(stream(['{"a":1}\n', '{"problem":"Too much."}\n']))).toEqual([{ a: 1 }, 'Too much.'])
})
test('a server that goes away in the middle is told, whoever stops asking is not', async () => {
  const [, lost] = await read(stream(['{"a":1}\n'], (c) => c.error(new TypeError('network error'))))
  expect(lost).toContain('went away in the middle')
  const aborted = new DOMException('stopped', 'AbortError')
  expect(await read(stream([], (c) => c.error(aborted)))).toEqual(['stopped'])
})
