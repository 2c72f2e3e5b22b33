// A fleet of a test: its bus on loopback, in a folder of its own, and generators that join it.
import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { connect, createServer, type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import {
  addGenerator,
  configurationOf,
  COORDINATOR_KEY,
  Fleet,
  foundFleet,
  joinFleet,
  readCoordinatorKey,
  readGeneratorKey,
  type RunningGenerator,
} from '@jolt-gate/engine'

export const VERSION = 'of the test'

export async function freePort(): Promise<number> {
  const server = createServer()
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  await new Promise((resolve) => server.close(resolve))
  return port
}

export class TestFleet {
  private bus: ChildProcess | undefined
  private readonly joined: RunningGenerator[] = []

  private constructor(
    readonly folder: string,
    readonly host: string,
    readonly port: number,
  ) {}

  /** Founds a fleet with some generators, each as `place/name`, and starts its bus. */
  static async start(ids: readonly string[], host = '127.0.0.1'): Promise<TestFleet> {
    const fleet = new TestFleet(mkdtempSync(join(tmpdir(), 'jolt-gate-fleet-')), host, await freePort())
    foundFleet(fleet.folder, { host, port: fleet.port })
    for (const id of ids) {
      const [place = '', name = ''] = id.split('/')
      addGenerator(fleet.folder, { name, place })
    }
    await fleet.startBus()
    return fleet
  }

  get address(): string {
    return `nats://${this.host}:${String(this.port)}`
  }

  async startBus(): Promise<void> {
    this.bus = spawn('nats-server', ['-c', configurationOf(this.folder)], { cwd: this.folder, stdio: 'ignore' })
    for (let tried = 0; tried < 200 && !(await answers(this.port)); tried++) await pause(25)
  }

  async killBus(): Promise<void> {
    const { bus } = this
    if (bus === undefined) return
    const gone = new Promise((resolve) => bus.once('exit', resolve))
    bus.kill('SIGKILL')
    await gone
  }

  /** Has the bus read its configuration again. */
  reload(): void {
    this.bus?.kill('SIGHUP')
  }

  keyOf(name: string) {
    return readGeneratorKey(join(this.folder, `${name}.key`))
  }

  coordinatorKey() {
    return readCoordinatorKey(join(this.folder, COORDINATOR_KEY))
  }

  coordinator(): Promise<Fleet> {
    return Fleet.join(this.address, this.coordinatorKey())
  }

  /** Joins as a generator of this process. */
  async join(
    name: string,
    { threads = 1, allowsLoopback = true, version = VERSION, address = this.address } = {},
  ): Promise<RunningGenerator> {
    const options = { address, key: this.keyOf(name), version, threads, allowsLoopback }
    const generator = await joinFleet({ ...options, onNews: () => undefined })
    this.joined.push(generator)
    return generator
  }

  /** Has all generators leave. */
  async leave(): Promise<void> {
    await Promise.allSettled(this.joined.splice(0).map((generator) => generator.close()))
  }

  async stop(): Promise<void> {
    await this.leave()
    await this.killBus()
    rmSync(this.folder, { recursive: true, force: true })
  }
}

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

function answers(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1', () => {
      socket.destroy()
      resolve(true)
    })
    socket.on('error', () => {
      resolve(false)
    })
  })
}
