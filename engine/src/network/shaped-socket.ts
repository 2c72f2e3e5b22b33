// A connection over the link of a user: a socket to whoever uses it, TLS included, and one below it that is not shaped.
import { Socket } from 'node:net'
import { monotonicMs } from '../clock/clock.js'
import type { UserLink } from './user-link.js'

/** More than this on its way to us, and the other side has to wait, as it would for a window that is full. */
const MOST_ON_THE_WAY = 262_144

type Done = (error?: Error | null) => void

export class ShapedSocket extends Socket {
  private isThere = false
  private waiting: { bytes: Buffer; done: Done } | null = null
  private onTheWay = 0
  /** By how much the last of what we sent was given on too late: what comes back is that much early. */
  private lateMs = 0

  /** @param below - a connection that is being made */
  constructor(
    private readonly below: Socket,
    private readonly link: UserLink,
  ) {
    super()
    // As its base has it while a connection is being made: users of a socket go by it.
    Object.assign(this, { connecting: true })
    for (const name of ['remoteAddress', 'remotePort', 'localAddress', 'localPort'] as const)
      Object.defineProperty(this, name, { get: () => below[name] })
    below.once('lookup', (...found) => this.emit('lookup', ...found))
    below.once('connect', () => {
      this.afterWayAndBack(() => {
        this.begin()
      })
    })
    below.on('data', (bytes: Buffer) => {
      this.receive(bytes)
    })
    below.on('end', () => {
      this.afterAll(() => this.push(null))
    })
    below.on('error', (error) => {
      if (this.isThere) this.afterAll(() => this.destroy(error))
      else this.afterWayAndBack(() => this.destroy(error))
    })
    below.on('close', () => {
      if (this.isThere) this.afterAll(() => this.destroy())
    })
  }

  override _read(): void {
    if (this.onTheWay <= MOST_ON_THE_WAY) this.below.resume()
  }

  override _write(chunk: Buffer | string, encoding: BufferEncoding, done: Done): void {
    const bytes = typeof chunk === 'string' ? Buffer.from(chunk, encoding) : chunk
    if (this.isThere) this.give(bytes, done)
    else this.waiting = { bytes, done }
  }

  override _writev(chunks: { chunk: Buffer | string; encoding: BufferEncoding }[], done: Done): void {
    const all = chunks.map(({ chunk, encoding }) => (typeof chunk === 'string' ? Buffer.from(chunk, encoding) : chunk))
    this._write(Buffer.concat(all), 'utf8', done)
  }

  override _final(done: Done): void {
    const { up } = this.link
    this.hold(up.arrives(up.leaves(0, monotonicMs()), up.drawDelay()), () => {
      this.below.end()
    })
    done()
  }

  override _destroy(error: Error | null, done: (error: Error | null) => void): void {
    this.waiting = null
    this.below.destroy()
    done(error)
    // The base leaves this to what it is replaced by here.
    process.nextTick(() => this.emit('close', error !== null))
  }

  // ---------- its beginning

  private begin(): void {
    this.isThere = true
    Object.assign(this, { connecting: false })
    const { waiting } = this
    this.waiting = null
    this.emit('connect')
    this.emit('ready')
    if (waiting !== null && !this.destroyed) this.give(waiting.bytes, waiting.done)
  }

  /** A connection is there once its first packet has been answered. */
  private afterWayAndBack(act: () => void): void {
    const { up, down } = this.link
    this.hold(up.leaves(0, monotonicMs()) + up.drawDelay() + down.drawDelay(), act)
  }

  // ---------- bytes on their way

  /** From us: they are taken as they leave, and given on as they come. */
  private give(bytes: Buffer, done: Done): void {
    const { up } = this.link
    const delayMs = up.drawDelay()
    let leftMs = monotonicMs()
    for (const part of partsOf(bytes, up.atOnce)) {
      leftMs = up.leaves(part.length, monotonicMs())
      const dueMs = up.arrives(leftMs, delayMs)
      this.hold(dueMs, () => {
        this.below.write(part)
        this.lateMs = monotonicMs() - dueMs
      })
    }
    if (leftMs <= monotonicMs()) done()
    else this.link.releases.hold(leftMs, done)
  }

  /** To us. */
  private receive(bytes: Buffer): void {
    const { down } = this.link
    const [nowMs, delayMs] = [monotonicMs() - this.lateMs, down.drawDelay()]
    this.lateMs = 0
    this.onTheWay += bytes.length
    if (this.onTheWay > MOST_ON_THE_WAY) this.below.pause()
    for (const part of partsOf(bytes, down.atOnce))
      this.hold(down.arrives(down.leaves(part.length, nowMs), delayMs), () => {
        this.onTheWay -= part.length
        if (this.push(part) && this.onTheWay <= MOST_ON_THE_WAY) this.below.resume()
      })
  }

  /** After all that is on its way to us. */
  private afterAll(act: () => void): void {
    const { down } = this.link
    this.hold(down.arrives(down.leaves(0, monotonicMs()), down.drawDelay()), act)
  }

  private hold(atMs: number, act: () => void): void {
    this.link.releases.hold(atMs, () => {
      if (!this.destroyed) act()
    })
  }
}

function* partsOf(bytes: Buffer, most: number): Generator<Buffer> {
  if (bytes.length <= most) {
    yield bytes
    return
  }
  for (let from = 0; from < bytes.length; from += most) yield bytes.subarray(from, from + most)
}
