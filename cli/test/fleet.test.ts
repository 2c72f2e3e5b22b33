// A fleet by the command alone, and what becomes of a run when a part of it is killed, cut off or told to end.
import { spawn, type ChildProcess } from 'node:child_process'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { readFileSync, rmSync } from 'node:fs'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { Draws } from '@jolt-gate/core'
import type { Fleet } from '@jolt-gate/engine'
import { TestFleet } from '../../engine/test/fleet.js'
import { command, jolt, out, planFile, type Ended } from './command.js'

const RATE = 40
const LONG_MS = 120_000
let fleet: TestFleet
let coordinator: Fleet
let asked = 0
let lastAskedMs = -10_000
const server = createServer((_, response) => {
  asked++
  lastAskedMs = performance.now()
  response.end('{}')
})
const generators = new Map<string, ChildProcess>()

beforeAll(async () => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  fleet = await TestFleet.start([])
  for (const [name, place] of [
    ['lk1', 'north'],
    ['lk2', 'south'],
  ] as const) {
    const added = await jolt(['fleet', 'add', name, '--place', place, '--folder', fleet.folder])
    expect(added).toMatchObject({ code: 0 })
  }
  fleet.reload()
  coordinator = await fleet.coordinator()
})
beforeEach(async () => {
  // A generator that was lost makes its load for ten seconds more.
  await expect.poll(() => performance.now() - lastAskedMs, { timeout: 30_000 }).toBeGreaterThan(2000)
  for (const name of ['lk1', 'lk2'])
    if (generators.get(name)?.exitCode !== null || generators.get(name)?.signalCode !== null) await generate(name)
  // What one has to tell of a run before waits for its bus.
  const free = () => coordinator.roster.present().filter((row) => row.run === null)
  await expect.poll(() => free().length, { timeout: 30_000 }).toBe(2)
  asked = 0
}, 60_000)
afterAll(async () => {
  for (const child of generators.values()) child.kill('SIGKILL')
  await coordinator.close()
  await fleet.stop()
  server.closeAllConnections()
  server.close()
})

/** Starts a generator, and waits until it has joined. */
async function generate(name: string): Promise<void> {
  const key = join(fleet.folder, `${name}.key`)
  const args = [command, 'generate', '--join', fleet.address, '--key', key, '--threads', '1', '--allow-loopback']
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'ignore', 'pipe'] })
  generators.set(name, child)
  await new Promise<void>((resolve) => {
    child.stderr.on('data', (chunk: Buffer) => {
      if (chunk.includes('has joined')) resolve()
    })
  })
}

const planOf = (seconds: number, top = ''): string =>
  planFile(
    `fleet-${String(seconds)}.gate.yaml`,
    `jolt: 1
name: Two places
${top}target: http://127.0.0.1:${String((server.address() as AddressInfo).port)}
places: { north: 3, south: 1 }
drain: 2s
journeys:
  a:
    steps:
      - send: GET /
load:
  - { phase: p, rate: ${String(RATE)}/s, for: ${String(seconds)}s }
gates:
  - failed requests at most 1 %
  - failed requests from place "south" at most 5 %
`,
  )
const result = join(out, 'fleet.json')

/** Runs by the fleet; what is done meanwhile begins when the load does. */
async function run(seconds: number, meanwhile: () => Promise<void> | void = () => undefined): Promise<Ended> {
  const key = join(fleet.folder, 'coordinator.key')
  const running = jolt(['run', planOf(seconds), '--fleet', fleet.address, '--fleet-key', key, '--json', result])
  const ended = running.then(({ stdout, stderr }) => {
    if (asked === 0) throw new Error(`no load was made: ${stdout}${stderr}`)
  })
  await Promise.race([ended, expect.poll(() => asked, { timeout: 30_000 }).toBeGreaterThan(0)])
  await meanwhile()
  return running
}
const resultOf = () =>
  JSON.parse(readFileSync(result, 'utf8')) as {
    totals: { requests: number }
    generator: { fleet: { id: string; requests: number }[]; losses?: { arrivals: number[] }[] }
  }
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

/** A host that took the processor away may leave a run undecided; nothing of it is lost. */
function expectWhole({ code, stdout, wasHostBusy }: Ended): void {
  expect(stdout).not.toMatch(/lost|generator (?:north|south)/)
  expect(wasHostBusy ? [0, 3] : [0], stdout).toContain(code)
}

/** More than one for `npm run test:kill`. */
const KILLS = Number(process.env['KILLS'] ?? 1)
const SECONDS = 6

const signal = (name: string, sent: NodeJS.Signals) => generators.get(name)?.kill(sent)
const FAULTS: [what: string, top: string, fault: (draw: number) => Promise<void> | void][] = [
  ['a generator is killed', '', () => void signal('lk2', 'SIGKILL')],
  [
    'a generator is killed that the others go on without',
    'on loss: continue at less\n',
    () => void signal('lk2', 'SIGKILL'),
  ],
  [
    'a generator stands still for up to 14 s',
    '',
    async (draw) => {
      signal('lk1', 'SIGSTOP')
      await pause(14_000 * draw)
      signal('lk1', 'SIGCONT')
    },
  ],
  [
    'the bus is killed, and is back within 4 s',
    '',
    async (draw) => {
      await fleet.killBus()
      await pause(4000 * draw)
      await fleet.startBus()
    },
  ],
]
const moments = FAULTS.flatMap((fault) => Array.from({ length: KILLS }, (_, number) => [...fault, number + 1] as const))

describe.runIf(KILLS > 1)('at a random moment of a run by a fleet', () => {
  it.each(moments)(
    '%s: it ends truthfully, and no second is counted twice',
    async (what, top, fault, number) => {
      const draws = new Draws(number).at(what.length, 0, 0)
      const [atMs, length] = [10_000 * draws.next(), draws.next()]
      const key = join(fleet.folder, 'coordinator.key')
      const plan = planOf(SECONDS, top)
      rmSync(result, { force: true })
      const running = jolt(['run', plan, '--fleet', fleet.address, '--fleet-key', key, '--json', result])
      await pause(atMs)
      await fault(length)
      const { code, stdout, stderr } = await running

      // A bus that is away as a run asks for it: nothing is sent.
      if (code === 2) {
        expect([stderr, asked]).toEqual([expect.stringContaining(fleet.address), 0])
        return
      }
      const { totals, generator } = resultOf()
      const [whole, lost] = [SECONDS * RATE, generator.losses?.[0]?.arrivals[0] ?? 0]
      const told = `${what} after ${(atMs / 1000).toFixed(1)} s, ${length.toFixed(2)}\n${stdout}`
      expect([0, 3], told).toContain(code)
      expect(totals.requests, told).toBeLessThanOrEqual(asked)
      if (code === 0) expect(totals.requests, told).toBeGreaterThanOrEqual(whole - lost - generator.fleet.length)
      if (code === 0 && lost === 0) expect([totals.requests, asked], told).toEqual([whole, whole])
      if (code === 3)
        expect(stdout, told).toMatch(
          /fleet: |was lost|undecided|processor in|of the load was missing|of the arrivals due were started/,
        )
    },
    LONG_MS,
  )
})

describe('a run by a fleet', () => {
  it(
    'is made by those who have joined, each place by its weight',
    async () => {
      const ended = await run(3)

      expectWhole(ended)
      expect(asked).toBe(3 * RATE)
      expect(ended.stdout).toMatch(/failed requests from place "south" at most 5 %/)
      const { totals, generator } = resultOf()
      expect(totals.requests).toBe(3 * RATE)
      expect(generator.fleet.map(({ id, requests }) => [id, requests])).toEqual([
        ['north/lk1', (3 * 3 * RATE) / 4],
        ['south/lk2', (3 * RATE) / 4],
      ])
    },
    LONG_MS,
  )

  it(
    'goes on while the bus is away for two seconds: no second is lost, and none counted twice',
    async () => {
      const ended = await run(8, async () => {
        await pause(2000)
        await fleet.killBus()
        await pause(2000)
        await fleet.startBus()
      })

      expectWhole(ended)
      expect(resultOf().totals.requests).toBe(8 * RATE)
      expect(asked).toBe(8 * RATE)
    },
    LONG_MS,
  )

  it.each([
    ['is killed', 'SIGKILL', /generator south\/lk2 was lost: nothing was heard of it for 10 s/],
    ['is told to end', 'SIGTERM', /generator south\/lk2: it was told to leave|was lost: it has left/],
  ] as const)(
    'is void where a generator %s, and the other ends its load',
    async (_, signal, why) => {
      const ended = await run(40, async () => {
        await pause(1500)
        generators.get('lk2')?.kill(signal)
      })

      expect(ended.code).toBe(3)
      expect(ended.stdout).toMatch(why)
      expect(asked).toBeLessThan(40 * RATE)
    },
    LONG_MS,
  )

  it(
    'is void where a generator was away for longer than ten seconds, though it comes back',
    async () => {
      const ended = await run(40, async () => {
        await pause(1500)
        generators.get('lk2')?.kill('SIGSTOP')
        await pause(13_000)
        generators.get('lk2')?.kill('SIGCONT')
      })

      expect(ended.code).toBe(3)
      expect(ended.stdout).toMatch(/south\/lk2/)
    },
    LONG_MS,
  )

  it(
    'ends, and its load with it, where the bus never comes back',
    async () => {
      const ended = await run(60, async () => {
        await pause(1500)
        await fleet.killBus()
      })
      await fleet.startBus()

      expect(ended.code).toBe(3)
      expect(ended.stdout).toMatch(/was lost: nothing was heard of it for 10 s/)
      await expect.poll(() => performance.now() - lastAskedMs, { timeout: 20_000 }).toBeGreaterThan(2000)
      expect(asked).toBeLessThan(30 * RATE)
    },
    LONG_MS,
  )

  it(
    'whose coordinator is killed has no load ten seconds later, and its generators are free again',
    async () => {
      const args = [command, 'run', planOf(60), '--fleet', fleet.address]
      const key = join(fleet.folder, 'coordinator.key')
      const child = spawn(process.execPath, [...args, '--fleet-key', key], {
        cwd: join(out, 'repository'),
        stdio: 'ignore',
      })
      await expect.poll(() => asked, { timeout: 30_000 }).toBeGreaterThan(0)
      child.kill('SIGKILL')
      const killedMs = performance.now()
      await expect.poll(() => performance.now() - lastAskedMs, { timeout: 30_000 }).toBeGreaterThan(3000)

      expect(lastAskedMs - killedMs).toBeLessThan(14_000)
      asked = 0
      expectWhole(await run(2))
    },
    LONG_MS,
  )
})

describe('a search for the capacity', () => {
  const key = () => join(fleet.folder, 'coordinator.key')
  const decide = (load: string, ...more: string[]) =>
    jolt(['capacity', planOf(1), '--at-least', load, ...more, '--fleet', fleet.address, '--fleet-key', key()])

  it(
    'has its trials made by a fleet, from each place',
    async () => {
      const { code, stdout, stderr, wasHostBusy } = await decide('40/s', '--hold', '5s')
      expect(wasHostBusy ? [0, 3] : [0], stderr).toContain(code)
      expect(stdout).toMatch(/^capacity at least 40\/s: it holds$|is unknown/m)
      expect(stderr).toMatch(/^40\/s for 0:10 {2}held/m)
    },
    LONG_MS,
  )

  it(
    'that loses a generator has no answer, and says why',
    async () => {
      asked = 0
      const ending = decide('40/s', '--hold', '20s')
      await expect.poll(() => asked, { timeout: 30_000 }).toBeGreaterThan(0)
      generators.get('lk2')?.kill('SIGKILL')
      const { code, stdout } = await ending
      expect(code).toBe(3)
      expect(stdout).toMatch(/^capacity unknown: generator \S+ was lost: /m)
    },
    LONG_MS,
  )
})

describe('the command', () => {
  it.each([
    [['run', 'x', '--generators', '2'], /--generators needs --fleet/],
    [['generate', '--join', 'nats://127.0.0.1:1', '--key', 'nowhere.key'], /nowhere\.key/],
    [['fleet', 'add', 'LK 9', '--place', 'north', '--folder', '.'], /holds no fleet|no name/],
    [['fleet', 'remove', 'lk9', '--folder', '.'], /holds no fleet/],
  ])('says what is wrong: %s', async (args, words) => {
    const ended = await jolt(args.map((one) => (one === 'x' ? planOf(1) : one)))

    expect(ended.code).toBe(2)
    expect(ended.stderr).toMatch(words)
  })

  it('refuses a plan with places and no fleet, and a fleet without its key or that is not there', async () => {
    const key = join(fleet.folder, 'coordinator.key')
    const none = await jolt(['run', planOf(1)])
    const keyless = await jolt(['run', planOf(1), '--fleet', fleet.address])
    const away = await jolt(['run', planOf(1), '--fleet', 'nats://127.0.0.1:1', '--fleet-key', key])
    const plain = await jolt(['run', planOf(1), '--fleet', 'nats://gate.example:4222', '--fleet-key', key])
    const other = await jolt(['run', planOf(1), '--fleet', fleet.address, '--fleet-key', join(fleet.folder, 'lk1.key')])

    for (const ended of [none, keyless, away, plain, other]) expect(ended.code).toBe(2)
    expect(none.stderr).toMatch(/from north and south: say by which fleet/)
    expect(keyless.stderr).toMatch(/--fleet-key/)
    expect(away.stderr).toMatch(/127\.0\.0\.1:1/)
    expect(plain.stderr).toMatch(/beyond loopback TLS is required/)
    expect(other.stderr).toMatch(/is no key of a coordinator/)
  })
})
