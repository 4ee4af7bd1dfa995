/**
 * The live socket. One request is in the air at a time; meanwhile only the newest pose is kept, so nothing queues,
 * and touches of the brush are gathered, so none is lost. Its messages are typed by the API's own description.
 */
import type { components } from './schema'
import { type Joints, PAGE, type CharacterState, type Pose } from './client'

type Schemas = components['schemas']
export type Measured = Schemas['Measures']
export type Want = Required<Schemas['Want']>
export type Dab = Required<Schemas['DabBody']>
export type Contacts = Pick<Schemas['ContactsAnswer'], 'without' | 'with'>
export type Job = Schemas['JobMessage']
export type ToolSettings = Schemas['SculptSettings'] | Schemas['OutlineSettings'] | Schemas['PaintSettings'] | Schemas['PickSettings'] | Schemas['MaskSettings']
/** Brushes that hold what they took at first and follow the pointer's whole way. */
export const DRAGS = ['grab', 'slide', 'push']
const OUTLINE_DRAGS = ['move', 'roundness', 'width']
type Said = Schemas['PoseMessage'] | Schemas['StrokeMessage'] | Schemas['StrokeEndMessage'] | Schemas['ContactsMessage']
type Told = Schemas['VersionMessage'] | Schemas['LeaseMessage'] | Schemas['GoneMessage'] | Schemas['ContactsAnswer'] | Job | Schemas['ProblemMessage']

export interface FrameHead {
  seq: number | null
  version: number
  revision: string
  activations: Record<string, number>
  measures?: { without: Measured; with: Measured; why: string[] } | null
  /** How far the measured joint is turned about the axis that was asked for, as the core reads it. */
  angle_deg?: number | null
  /** The remedy whose trigger is being changed. */
  response?: string
  /** Volume of the picked region, percent of rest; null without one. */
  region_volume?: number | null
  /** How far the sculpt in progress has moved a vertex at most; only where that is shown. */
  moved_most?: number | null
  /** Dials, factors of groups, products and stored poses, by the ids of their values. */
  values: Record<string, number>
  /** What each volume keeper holds, percent of rest, by its id. */
  kept: Record<string, number>
  /** The kind whose trial is shown. */
  trial?: string | null
  /** How the joints above a dragged end are turned. */
  reached?: Joints | null
  /** The parts of a drawing in the order of painting, by number, where a remedy switches it. */
  order?: number[] | null
}

export interface Frame extends FrameHead {
  with: Float32Array
  without?: Float32Array
  heat?: Float32Array
  heat_without?: Float32Array
  skin?: Float32Array
  skin_without?: Float32Array
  weights?: Float32Array
  mixed?: Float32Array
  region?: Float32Array
  ghost?: Float32Array
  /** How wide the stroke of a drawing is at each control point. */
  widths?: Float32Array
  /** The response of a trigger that is being changed: degrees and activation in turn. */
  curve?: Float32Array
  joints: Float32Array
}

/** What a brush does to the weights. */
export type PaintMode = Schemas['PaintSettings']['mode']

/** The region that a brush is kept to, or kept out of; null = it works everywhere. */
export type Within = { region: string; outside: boolean } | null

/** A stroke: touches, gathered while another message is in the air. */
interface Stroke {
  /** What the tool is set to; touches with other settings are sent apart. */
  settings: ToolSettings
  dabs: Dab[]
  pose: Pose
  want: Want
}
/** The most touches that go in one message: more wait for the next. */
const MOST_DABS = 200

export interface LiveHandlers {
  frame(frame: Frame): void
  contacts(count: Contacts): void
  version(state: CharacterState): void
  problem(sentence: string): void
  /** How far long work has got, or how it ended. */
  job(job: Job): void
  connected(yes: boolean): void
  /** The character was deleted; connected again once it is brought back. */
  gone(): void
  /** Whether the character is being edited in another window. */
  elsewhere(yes: boolean): void
}

export class LiveSocket {
  private socket: WebSocket | null = null
  /** What was sent and is not answered yet. */
  private inAir: Said['type'] | null = null
  private pose: { pose: Pose; want: Want } | null = null
  private counting: { pose: Pose; want: Want } | null = null
  private strokes: (Stroke | 'end')[] = []
  private seq = 0
  private retry = 0
  private timer = 0
  private closed = false

  constructor(
    private readonly id: string,
    private readonly handlers: LiveHandlers,
  ) {
    this.connect()
  }

  /** Ask for the figure in a pose; a newer call overtakes this one. */
  showPose(pose: Pose, want: Want): void {
    this.pose = { pose, want }
    this.next()
  }

  /** Ask how much of the skin passes through itself: when nothing else is waiting. */
  countContacts(pose: Pose, want: Want): void {
    this.counting = { pose, want }
    this.next()
  }

  /** Touch the skin with a tool, in a pose. Touches of one stroke are gathered while another message is in the air. */
  touch(settings: ToolSettings, dab: Dab, pose: Pose, want: Want): void {
    const last = this.strokes.at(-1)
    if (last && last !== 'end' && last.dabs.length < MOST_DABS && JSON.stringify(last.settings) === JSON.stringify(settings)) {
      // A drag holds its whole way in its last touch.
      if ((settings.tool === 'sculpt' && DRAGS.includes(settings.brush)) || (settings.tool === 'outline' && OUTLINE_DRAGS.includes(settings.brush))) last.dabs = [dab]
      else last.dabs.push(dab)
      last.want = want
    } else this.strokes.push({ settings, dabs: [dab], pose, want })
    this.next()
  }

  /** The pen is lifted: what was touched is stored. */
  endStroke(): void {
    this.strokes.push('end')
    this.next()
  }

  close(): void {
    this.closed = true
    window.clearTimeout(this.timer)
    this.socket?.close()
  }

  private connect(): void {
    const scheme = window.location.protocol === 'https:' ? 'wss' : 'ws'
    const socket = new WebSocket(`${scheme}://${window.location.host}/api/characters/${this.id}/live?page=${PAGE}`)
    socket.binaryType = 'arraybuffer'
    socket.onopen = () => {
      this.retry = 0
      this.inAir = null
      this.handlers.connected(true)
      this.next()
    }
    socket.onmessage = (event) => this.receive(event.data as ArrayBuffer | string)
    socket.onclose = () => {
      if (this.closed) return
      // A stroke in the air is lost with its server; everything before it is stored.
      this.strokes = []
      this.inAir = null
      this.handlers.elsewhere(false)
      this.handlers.connected(false)
      this.timer = window.setTimeout(() => this.connect(), Math.min(250 * 2 ** this.retry++, 4000))
    }
    this.socket = socket
  }

  /** Whether a newer pose than the last that was answered waits to be sent, or is on its way. */
  get asks(): boolean {
    return this.pose !== null || this.inAir === 'pose'
  }

  private next(): void {
    if (this.inAir || this.socket?.readyState !== WebSocket.OPEN) return
    const stroke = this.strokes.shift()
    if (stroke === 'end') this.send({ type: 'stroke_end', seq: 0 })
    else if (stroke) this.send({ type: 'stroke', seq: 0, ...stroke })
    else if (this.pose) {
      const asked = this.pose
      this.pose = null
      this.send({ type: 'pose', seq: 0, ...asked })
    } else if (this.counting) {
      const asked = this.counting
      this.counting = null
      this.send({ type: 'contacts', seq: 0, ...asked })
    }
  }

  private send(message: Said): void {
    this.inAir = message.type
    this.socket!.send(JSON.stringify({ ...message, seq: ++this.seq }))
  }

  private receive(data: ArrayBuffer | string): void {
    if (typeof data !== 'string') {
      const frame = unpackFrame(data)
      // What another window is doing comes unasked.
      if (frame.seq !== null) this.inAir = null
      this.handlers.frame(frame)
    } else {
      const message = JSON.parse(data) as Told
      // Versions of others and long work are told beside the answers to what was asked, which carry its number.
      if ('seq' in message && message.seq !== null) this.inAir = null
      if (message.type === 'version') this.handlers.version(message.state)
      else if (message.type === 'contacts') this.handlers.contacts({ without: message.without, with: message.with })
      else if (message.type === 'lease') this.handlers.elsewhere(message.elsewhere)
      else if (message.type === 'gone') this.handlers.gone()
      else if (message.type === 'job') this.handlers.job(message)
      else if (message.type === 'problem') this.handlers.problem(message.detail)
    }
    this.next()
  }
}

/** See docs/formats/live-socket.md for the layout. */
export function unpackFrame(data: ArrayBuffer): Frame {
  const length = new DataView(data).getUint32(0, true)
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length)))
  let start = 4 + length
  const arrays: Record<string, Float32Array> = {}
  for (const [name, size] of Object.entries(head.fields as Record<string, number>)) {
    arrays[name] = new Float32Array(data, start, size)
    start += 4 * size
  }
  return { ...head, ...arrays } as Frame
}
