// A WebSocket (RFC 6455, by a library) with what is said and awaited on it.
import { WebSocket } from 'ws'
import { Received, type Frame } from '@jolt-gate/core'
import { wireFaultOf } from '../../../http/wire-faults.js'
import { portOf } from '../../../network/reach.js'
import type { WayOut } from '../../../network/way-out.js'
import type { CompiledAct, SocketOperation } from '../../../compile/program.js'
import { Talker, type TalkListener } from '../talk/talker.js'

const MOST_MESSAGE_BYTES = 16_000_000

export interface SocketTalk {
  operation: SocketOperation
  url: URL
  frame: Frame
  out: WayOut
}

export class SocketTalker extends Talker {
  private readonly socket: WebSocket

  constructor(
    private readonly talk: SocketTalk,
    listener: TalkListener,
    dueMs: number,
  ) {
    super(talk.operation.acts, listener, 'message', dueMs)
    const { operation, url, out, frame } = talk
    this.socket = new WebSocket(url.href.replace(/^http/, 'ws'), {
      createConnection: () =>
        out.connect({ host: url.hostname, port: portOf(url), to: url.protocol === 'https:' ? 'https:' : 'http:' }),
      headers: headersOf(operation.headers(frame)),
      maxPayload: MOST_MESSAGE_BYTES,
      followRedirects: false,
    })
    this.limitOpening(operation.timeoutMs, 'socket')
    this.socket.on('open', () => {
      this.opened()
    })
    this.socket.on('unexpected-response', (_, response) => {
      this.fail('status', String(response.statusCode ?? 0))
    })
    this.socket.on('message', (data, isBinary) => {
      const text = isBinary ? '' : textOf(data)
      this.came(Received.ofText(text), Buffer.byteLength(text))
    })
    this.socket.on('error', (error) => {
      const fault = wireFaultOf(error)
      this.fail(fault.kind === 'failure' ? fault.failure : 'local', fault.detail)
    })
    this.socket.on('close', () => {
      this.fail('socket', 'the socket was closed')
    })
  }

  protected say(act: Extract<CompiledAct, { kind: 'say' }>): void {
    const text = act.text(this.talk.frame)
    this.socket.send(text, (error) => {
      if (this.isOver) return
      const failure = error ? { kind: 'socket' as const, detail: 'the message could not be sent' } : null
      this.record(act, failure, undefined, { sent: Buffer.byteLength(text) })
      this.advance()
    })
  }

  protected close(): void {
    if (this.isOpen) this.socket.close()
    // A peer that does not answer the closing handshake is not waited for.
    setTimeout(() => {
      this.socket.terminate()
    }, 1000).unref()
  }
}

function textOf(data: unknown): string {
  if (Array.isArray(data)) return Buffer.concat(data.filter((piece) => Buffer.isBuffer(piece))).toString('utf8')
  if (Buffer.isBuffer(data)) return data.toString('utf8')
  return data instanceof ArrayBuffer ? Buffer.from(data).toString('utf8') : ''
}

function headersOf(pairs: readonly string[]): Record<string, string> {
  const headers: Record<string, string> = {}
  for (let index = 0; index + 1 < pairs.length; index += 2) headers[pairs[index] ?? ''] = pairs[index + 1] ?? ''
  return headers
}
