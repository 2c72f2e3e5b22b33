// A link that tests make slow, or cut: what goes through it waits, and nothing is lost.
import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net'

const TICK_MS = 20

export class Link {
  private readonly sockets = new Set<Socket>()
  private isCut = false

  private constructor(
    private readonly server: Server,
    private readonly bytesPerSecond: number,
  ) {}

  /** Between whoever connects and a port of this machine. */
  static async to(port: number, bytesPerSecond = Infinity): Promise<Link> {
    const server = createServer()
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const link = new Link(server, bytesPerSecond)
    server.on('connection', (near) => {
      const far = connect(port, '127.0.0.1')
      for (const socket of [near, far]) {
        link.sockets.add(socket)
        socket.on('close', () => {
          near.destroy()
          far.destroy()
          link.sockets.delete(socket)
        })
        socket.on('error', () => undefined)
      }
      link.carry(near, far)
      link.carry(far, near)
    })
    return link
  }

  get address(): string {
    return `nats://127.0.0.1:${String((this.server.address() as AddressInfo).port)}`
  }

  /** Nothing goes through, and nobody is told so. */
  cut(): void {
    this.isCut = true
  }

  mend(): void {
    this.isCut = false
  }

  async stop(): Promise<void> {
    for (const socket of this.sockets) socket.destroy()
    await new Promise((resolve) => this.server.close(resolve))
  }

  private carry(from: Socket, to: Socket): void {
    let waiting: Buffer[] = []
    from.on('data', (chunk: Buffer) => waiting.push(chunk))
    const timer = setInterval(() => {
      if (this.isCut || waiting.length === 0) return
      const all = Buffer.concat(waiting)
      const most = Math.min(all.length, Math.max(1, Math.floor((this.bytesPerSecond * TICK_MS) / 1000)))
      to.write(all.subarray(0, most))
      waiting = most === all.length ? [] : [all.subarray(most)]
    }, TICK_MS)
    from.on('close', () => {
      clearInterval(timer)
    })
  }
}
