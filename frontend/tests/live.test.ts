/** The live socket: the newest pose wins, no touch is lost, one request is in the air. */
import { beforeEach, expect, test, vi } from 'vitest'
import { LiveSocket, unpackFrame, type Dab, type LiveHandlers, type ToolSettings, type Want } from '@/api/live'

class Wire {
  static OPEN = 1
  static last: Wire
  readyState = 1
  sent: { type: string; dabs?: Dab[] }[] = []
  onopen = () => {}
  onmessage: (event: { data: unknown }) => void = () => {}
  onclose = () => {}
  constructor(readonly address: string) { Wire.last = this }
  send(text: string) { this.sent.push(JSON.parse(text)) }
  close() {}
  answer(message: object) { this.onmessage({ data: JSON.stringify(message) }) }
}
const told: [string, unknown][] = []
const handlers = new Proxy({}, { get: (_, name: string) => (what: unknown) => told.push([name, what]) }) as LiveHandlers
const pose = (x: number) => ({ joints: { a: [x, 0, 0, 1] } }) as never
const want = {} as Want
const dab = (triangle: number) => ({ triangle }) as Dab
const grab = { tool: 'sculpt', brush: 'grab' } as ToolSettings, smooth = { tool: 'sculpt', brush: 'smooth' } as ToolSettings
let live: LiveSocket, wire: Wire
const kinds = () => wire.sent.map((m) => m.type)
const done = () => wire.answer({ type: 'problem', seq: wire.sent.length, detail: '' })

beforeEach(() => {
  vi.stubGlobal('WebSocket', Wire)
  told.length = 0
  live = new LiveSocket('c', handlers)
  wire = Wire.last
  wire.onopen()
})

test('of poses asked for meanwhile only the newest is sent, and a count waits for it', () => {
  for (const x of [1, 2, 3]) live.showPose(pose(x), want)
  live.countContacts(pose(3), want)
  expect(kinds()).toEqual(['pose'])
  done()
  expect(wire.sent[1]).toMatchObject({ type: 'pose', pose: pose(3), seq: 2 })
  expect(live.asks).toBe(true)
  done()
  done()
  expect(kinds()).toEqual(['pose', 'pose', 'contacts'])
  expect(live.asks).toBe(false)
})
test('touches are gathered in order, a drag keeps its last, and the end of a stroke comes after them', () => {
  live.showPose(pose(1), want)
  for (const n of [1, 2]) live.touch(smooth, dab(n), pose(1), want)
  for (const n of [3, 4]) live.touch(grab, dab(n), pose(1), want)
  live.endStroke()
  for (let k = 0; k < 4; k++) done()
  expect(wire.sent.slice(1).map((m) => [m.type, m.dabs?.map((d) => d.triangle)])).toEqual([['stroke', [1, 2]], ['stroke', [4]], ['stroke_end', undefined]])
})
test('more touches than go in one message go in the next', () => {
  live.showPose(pose(1), want)
  for (let n = 0; n < 450; n++) live.touch(smooth, dab(n), pose(1), want)
  for (let k = 0; k < 4; k++) done()
  expect(wire.sent.slice(1).map((m) => m.dabs?.length)).toEqual([200, 200, 50])
})
test('what others do is shown and answers nothing; a lost server is told, strokes in the air are let go', () => {
  live.showPose(pose(1), want)
  wire.answer({ type: 'version', seq: null, state: 'theirs' })
  live.showPose(pose(2), want)
  expect(kinds()).toEqual(['pose'])
  live.touch(smooth, dab(1), pose(1), want)
  wire.onclose()
  wire.onopen()
  expect(kinds()).toEqual(['pose', 'pose'])
  expect(told.map(([name]) => name)).toEqual(['connected', 'version', 'elsewhere', 'connected', 'connected'])
})
test('a frame is unpacked as it was packed', () => {
  const head = new TextEncoder().encode('{"seq":1,"fields":{"with":3,"heat":1}} '.padEnd(40)), data = new ArrayBuffer(4 + head.length + 16)
  new DataView(data).setUint32(0, head.length, true)
  new Uint8Array(data, 4).set(head)
  new Float32Array(data, 4 + head.length).set([1, 2, 3, 4])
  expect(unpackFrame(data)).toMatchObject({ seq: 1, with: new Float32Array([1, 2, 3]), heat: new Float32Array([4]) })
})
