// Machines of their own for a test: network namespaces on one bridge, each with its own loopback and a link that can be
// cut or made slow. They want an administrator and a kernel that has them.
import { spawn, spawnSync, type ChildProcess, type StdioOptions } from 'node:child_process'
import { randomInt } from 'node:crypto'

/** What 50 000 bytes a second hold of a queue before more is dropped. */
const QUEUE_MS = 5000

export class Machines {
  private constructor(
    /** Short, since the kernel allows a link 15 characters. */
    private readonly tag: string,
    private readonly subnet: string,
    private readonly names: readonly string[],
  ) {}

  /** Some machines that reach this one by `host`; undefined where this machine does not let us. */
  static make(names: readonly string[]): Machines | undefined {
    const machines = new Machines(`jg${String(process.pid % 100_000)}`, `10.217.${String(randomInt(1, 255))}`, names)
    try {
      machines.link()
      return machines
    } catch {
      machines.stop()
      return undefined
    }
  }

  get host(): string {
    return `${this.subnet}.1`
  }

  /** Starts a program on a machine. */
  spawn(name: string, program: string, args: readonly string[], stdio: StdioOptions): ChildProcess {
    return spawn('ip', ['netns', 'exec', this.machine(name), program, ...args], { stdio })
  }

  /** Cuts the link of a machine, as a cable that is pulled out. */
  cut(name: string): void {
    order('ip', 'link', 'set', this.near(name), 'down')
  }

  mend(name: string): void {
    order('ip', 'link', 'set', this.near(name), 'up')
  }

  /** Limits what a machine sends. */
  slow(name: string, bytesPerSecond: number): void {
    const rate = ['rate', `${String(8 * bytesPerSecond)}bit`, 'burst', '4kb', 'latency', `${String(QUEUE_MS)}ms`]
    order('tc', '-n', this.machine(name), 'qdisc', 'replace', 'dev', this.far(name), 'root', 'tbf', ...rate)
  }

  /** Gives a machine its whole link again. */
  hasten(name: string): void {
    order('tc', '-n', this.machine(name), 'qdisc', 'del', 'dev', this.far(name), 'root')
  }

  stop(): void {
    for (const name of this.names) {
      spawnSync('ip', ['link', 'del', this.near(name)])
      spawnSync('ip', ['netns', 'del', this.machine(name)])
    }
    spawnSync('ip', ['link', 'del', this.tag])
  }

  private link(): void {
    order('ip', 'link', 'add', this.tag, 'type', 'bridge')
    order('ip', 'addr', 'add', `${this.host}/24`, 'dev', this.tag)
    order('ip', 'link', 'set', this.tag, 'up')
    for (const [index, name] of this.names.entries()) {
      const [machine, near, far] = [this.machine(name), this.near(name), this.far(name)]
      order('ip', 'netns', 'add', machine)
      order('ip', 'link', 'add', near, 'type', 'veth', 'peer', 'name', far)
      order('ip', 'link', 'set', near, 'master', this.tag, 'up')
      order('ip', 'link', 'set', far, 'netns', machine)
      order('ip', '-n', machine, 'addr', 'add', `${this.subnet}.${String(index + 2)}/24`, 'dev', far)
      order('ip', '-n', machine, 'link', 'set', far, 'up')
      order('ip', '-n', machine, 'link', 'set', 'lo', 'up')
    }
    // Without it the kernel cannot make a link slow.
    const [first] = this.names
    if (first === undefined) return
    this.slow(first, 50_000)
    this.hasten(first)
  }

  private machine(name: string): string {
    return `${this.tag}-${name}`
  }
  private near(name: string): string {
    return `${this.tag}n${String(this.names.indexOf(name))}`
  }
  private far(name: string): string {
    return `${this.tag}f${String(this.names.indexOf(name))}`
  }
}

function order(program: string, ...args: string[]): void {
  const { status, stderr } = spawnSync(program, args, { encoding: 'utf8' })
  if (status !== 0) throw new Error(`${program} ${args.join(' ')}: ${stderr}`)
}
