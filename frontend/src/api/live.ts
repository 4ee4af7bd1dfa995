/**
 * The live socket. One request is in the air at a time; meanwhile only the newest pose is kept, so nothing queues,
 * and touches of the brush are gathered, so none is lost.
 */
import type { CharacterState, HingeTrigger, Joints } from './client'

export interface Measured {
  volume: number
  girth: number | null
}

export interface FrameHead {
  seq: number
  version: number
  activations: Record<string, number>
  measures?: { without: Measured; with: Measured } | null
  response?: { remedy_id: string; curve: [number, number][] }
  /** Volume of the picked region, percent of rest; null without one. */
  region_volume?: number | null
}

export interface Frame extends FrameHead {
  with: Float32Array
  without?: Float32Array
  heat?: Float32Array
  heat_without?: Float32Array
  weights?: Float32Array
  mixed?: Float32Array
  region?: Float32Array
  joints: Float32Array
}

/** How many triangles cross others and did not at rest. */
export interface Contacts {
  without: number
  with: number
}

export interface Want {
  without: boolean
  heat: boolean
  alone: string | null
  measure: string | null
  weights: string | null
  mixed: boolean
  region: boolean
  /** A joint that is being dragged, not stored yet. */
  moving: { joint: string; at: [number, number, number]; mirror: boolean } | null
  preview: { remedy_id: string; trigger: HingeTrigger } | null
}

export interface Dab {
  triangle: number
  at: [number, number, number]
  radius: number
  strength: number
  drag: [number, number, number]
  falloff: number
}

/** What a brush does to the weights. */
export type PaintMode = 'add' | 'subtract' | 'replace' | 'smooth' | 'even'

/** The region that a brush is kept to, or kept out of; null = it works everywhere. */
export type Within = { region: string; outside: boolean } | null

/** Strokes of the three kinds of brush: each has touches, gathered while one is in the air, and an end that stores it. */
export type StrokeKind = 'dabs' | 'paint' | 'pick'
interface Stroke {
  kind: StrokeKind
  /** What the brush is set to; touches with other settings are another stroke. */
  settings: Record<string, unknown>
  dabs: Dab[]
  joints: Joints
  want: Want
}
const ENDS = { dabs: 'stroke_end', paint: 'paint_end', pick: 'pick_end' } as const

export interface LiveHandlers {
  frame(frame: Frame): void
  contacts(count: Contacts): void
  saved(state: CharacterState): void
  problem(sentence: string): void
  /** How far automatic weights have got; null when they are done or were cancelled. */
  progress(share: number | null): void
  connected(yes: boolean): void
}

type Told = { type: string; seq?: number | null; state?: CharacterState; detail?: string; share?: number } & Contacts

export class LiveSocket {
  private socket: WebSocket | null = null
  private inAir = false
  private pose: { joints: Joints; want: Want } | null = null
  private counting: { joints: Joints; want: Want } | null = null
  private strokes: (Stroke | { ends: StrokeKind; with: Record<string, unknown> })[] = []
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
  showPose(joints: Joints, want: Want): void {
    this.pose = { joints, want }
    this.next()
  }

  /** Ask how much of the skin passes through itself: when nothing else is waiting. */
  countContacts(joints: Joints, want: Want): void {
    this.counting = { joints, want }
    this.next()
  }

  /** Touch the skin with a brush, in a pose. Touches of one stroke are gathered while another message is in the air. */
  touch(kind: StrokeKind, settings: Record<string, unknown>, dab: Dab, joints: Joints, want: Want): void {
    const last = this.strokes.at(-1)
    if (last && 'dabs' in last && last.kind === kind && JSON.stringify(last.settings) === JSON.stringify(settings)) {
      // A drag holds its whole way in its last touch.
      if (settings.brush === 'grab') last.dabs = [dab]
      else last.dabs.push(dab)
      last.want = want
    } else this.strokes.push({ kind, settings, dabs: [dab], joints, want })
    this.next()
  }

  /** The pen is lifted: what was touched is stored. */
  endStroke(kind: StrokeKind, settings: Record<string, unknown>): void {
    this.strokes.push({ ends: kind, with: settings })
    this.next()
  }

  /** Have weights worked out beside everything else: a job, which goes on when the page is gone. */
  automatic(joints: string[] | null, region: string | null): void {
    this.socket?.send(JSON.stringify({ type: 'automatic', joints, region }))
  }

  cancelAutomatic(): void {
    this.socket?.send(JSON.stringify({ type: 'cancel' }))
  }

  close(): void {
    this.closed = true
    window.clearTimeout(this.timer)
    this.socket?.close()
  }

  private connect(): void {
    const scheme = window.location.protocol === 'https:' ? 'wss' : 'ws'
    const socket = new WebSocket(`${scheme}://${window.location.host}/api/characters/${this.id}/live`)
    socket.binaryType = 'arraybuffer'
    socket.onopen = () => {
      this.retry = 0
      this.inAir = false
      this.handlers.connected(true)
      this.next()
    }
    socket.onmessage = (event) => this.receive(event.data as ArrayBuffer | string)
    socket.onclose = () => {
      if (this.closed) return
      // A stroke in the air is lost with its server; everything before it is stored.
      this.strokes = []
      this.inAir = false
      this.handlers.progress(null)
      this.handlers.connected(false)
      this.timer = window.setTimeout(() => this.connect(), Math.min(250 * 2 ** this.retry++, 4000))
    }
    this.socket = socket
  }

  private next(): void {
    if (this.inAir || this.socket?.readyState !== WebSocket.OPEN) return
    const stroke = this.strokes.shift()
    if (stroke && 'ends' in stroke) this.send({ type: ENDS[stroke.ends], ...stroke.with })
    else if (stroke) {
      const { kind, settings, dabs, joints, want } = stroke
      this.send({ type: kind, ...settings, joints, dabs, want })
    } else if (this.pose) {
      const { joints, want } = this.pose
      this.pose = null
      this.send({ type: 'pose', joints, want })
    } else if (this.counting) {
      const { joints, want } = this.counting
      this.counting = null
      this.send({ type: 'contacts', joints, want })
    }
  }

  private send(message: object): void {
    this.inAir = true
    this.socket!.send(JSON.stringify({ ...message, seq: ++this.seq }))
  }

  private receive(data: ArrayBuffer | string): void {
    if (typeof data !== 'string') {
      this.inAir = false
      this.handlers.frame(unpackFrame(data))
    } else {
      const message = JSON.parse(data) as Told
      // Long work is told about beside the answers to what was asked.
      if (message.seq === undefined) {
        this.handlers.progress(message.type === 'progress' ? (message.share ?? 0) : null)
        if (message.type === 'progress' || message.type === 'cancelled') return
      } else this.inAir = false
      if (message.type === 'saved' && message.state) this.handlers.saved(message.state)
      else if (message.type === 'contacts') this.handlers.contacts({ without: message.without, with: message.with })
      else this.handlers.problem(message.detail ?? 'Something went wrong in the server.')
      if (message.seq === undefined) return
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
