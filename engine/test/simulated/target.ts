// A service that answers in simulated time, and fails as it is told to.
import { EventEmitter } from 'node:events'
import { gzipSync } from 'node:zlib'
import { AnswerFields } from '../../src/http/links/answer-fields.js'
import { noMoments, type Carried, type Link } from '../../src/http/links/link.js'
import { present } from './world.js'

/** How an answer goes wrong. */
export type Fault =
  | { kind: 'error'; code: string }
  | { kind: 'never' }
  | { kind: 'answer'; status: number; body: Buffer; headers?: Record<string, string> }
  | { kind: 'slow'; ms: number }

export interface Asked {
  path: string
  /** How many requests came to this path before. */
  before: number
}

/** What the service is told, and what it has counted. */
export interface Service {
  /** The body of a path that is as it should be. */
  bodyOf: (asked: Asked) => { status: number; body: string }
  faultOf: (asked: Asked) => Fault | undefined
  delayMs: () => number
  counted: { requests: number; faults: number; byPath: Map<string, { requests: number; faults: number }> }
}

export const service: { now: Service } = {
  now: {
    bodyOf: () => ({ status: 200, body: '{}' }),
    faultOf: () => undefined,
    delayMs: () => 10,
    counted: { requests: 0, faults: 0, byPath: new Map() },
  },
}

/** In place of a connection. */
class SimulatedLink implements Link {
  readonly moments = noMoments()
  readonly http = 1
  carries = 0
  answered = 0
  private isGone = false

  constructor(readonly origin: string) {}

  destroy(): void {
    this.isGone = true
  }

  isOver(): boolean {
    return this.isGone
  }

  send(carried: Carried): number {
    const { world } = present
    const { now } = service
    const path = carried.path.split('?')[0] ?? ''
    const known = now.counted.byPath.get(path) ?? { requests: 0, faults: 0 }
    now.counted.byPath.set(path, known)
    const asked = { path, before: known.requests }
    const fault = now.faultOf(asked)
    now.counted.requests++
    known.requests++
    if (fault !== undefined) {
      now.counted.faults++
      known.faults++
    }
    carried.onStarted(world.nowMs)
    carried.onReady(null)
    if (fault?.kind === 'never') return 1
    const isGone = () => this.isGone
    world.after(fault?.kind === 'slow' ? fault.ms : now.delayMs(), () => {
      if (isGone()) return
      if (fault?.kind === 'error') {
        carried.onFault(Object.assign(new Error(fault.code), { code: fault.code }))
        return
      }
      const usual = now.bodyOf(asked)
      const answer =
        fault?.kind === 'answer' ? fault : { status: usual.status, body: Buffer.from(usual.body), headers: {} }
      const fields = Object.entries<string>(answer.headers ?? {}).flat()
      carried.onHead(new AnswerFields(answer.status, fields, 100), world.nowMs)
      if (isGone()) return
      if (answer.body.length > 0) carried.onPiece(answer.body, false)
      if (!isGone()) carried.onDone(world.nowMs)
    })
    return 1
  }
}

/** In place of the connections of a walker. */
export class SimulatedConnections {
  private readonly idle: SimulatedLink[] = []

  take(origin: string): SimulatedLink {
    return this.idle.pop() ?? new SimulatedLink(origin)
  }

  giveBack(link: SimulatedLink): void {
    link.answered++
    this.idle.push(link)
  }

  drop(): void {
    // Nobody uses it again.
  }

  close(): void {
    this.idle.length = 0
  }
}

/** In place of a WebSocket: it greets, answers what is said, and closes or keeps silent where it is told to. */
export class SimulatedSocket extends EventEmitter {
  private isClosed = false

  constructor(url: string) {
    super()
    const { world } = present
    const { now } = service
    const path = new URL(url).pathname
    const known = now.counted.byPath.get(path) ?? { requests: 0, faults: 0 }
    now.counted.byPath.set(path, known)
    const fault = now.faultOf({ path, before: known.requests })
    now.counted.requests++
    known.requests++
    if (fault !== undefined) {
      now.counted.faults++
      known.faults++
    }
    world.after(now.delayMs(), () => {
      if (fault?.kind === 'error') this.emit('error', Object.assign(new Error(fault.code), { code: fault.code }))
      else {
        this.emit('open')
        if (fault === undefined) this.say('{"kind":"hello"}')
        else if (fault.kind !== 'never') world.after(5, () => this.emit('close'))
      }
    })
  }

  send(_: string, done: () => void): void {
    present.world.after(1, done)
  }

  close(): void {
    this.isClosed = true
  }

  terminate(): void {
    this.isClosed = true
  }

  private say(text: string): void {
    present.world.after(2, () => {
      if (!this.isClosed) this.emit('message', Buffer.from(text), false)
    })
  }
}

const HTML = Buffer.from('<!doctype html><p>Sorry</p>')
const LARGE = Buffer.alloc(16_000_001)
const CUT = gzipSync('{"ok":true}').subarray(0, 15)

/** Faults by the word of the format that they come under. */
export const FAULTS = {
  refused: { kind: 'error', code: 'ECONNREFUSED' },
  reset: { kind: 'error', code: 'ECONNRESET' },
  protocol: { kind: 'error', code: 'NOT_HTTP' },
  tls: { kind: 'error', code: 'ERR_TLS_CERT_ALTNAME_INVALID' },
  dns: { kind: 'error', code: 'ENOTFOUND' },
  local: { kind: 'error', code: 'EMFILE' },
  never: { kind: 'never' },
  status: { kind: 'answer', status: 503, body: Buffer.from('{"ok":true}') },
  check: { kind: 'answer', status: 200, body: Buffer.from('{"ok":false,"items":[1],"id":"a","state":"done"}') },
  'nothing to keep': { kind: 'answer', status: 200, body: Buffer.from('{"ok":true,"items":[1],"state":"done"}') },
  'null to keep': {
    kind: 'answer',
    status: 200,
    body: Buffer.from('{"ok":true,"items":[1],"id":null,"state":"done"}'),
  },
  'a page': { kind: 'answer', status: 200, body: HTML },
  'an empty body': { kind: 'answer', status: 200, body: Buffer.alloc(0) },
  decoding: { kind: 'answer', status: 200, body: CUT, headers: { 'content-encoding': 'gzip' } },
  'too large': { kind: 'answer', status: 200, body: LARGE },
  'not permitted': { kind: 'answer', status: 302, body: Buffer.alloc(0), headers: { location: 'http://127.0.0.9:1/' } },
  'not done': { kind: 'answer', status: 200, body: Buffer.from('{"ok":true,"items":[1],"id":"a","state":"waiting"}') },
} as const satisfies Record<string, Fault>
