// A fleet over machines of their own: two generators, each in a network namespace with a target on its own loopback,
// join over TLS by links that are cut and made slow.
import type { ChildProcess } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, expect, it, vi } from 'vitest'
import { TestFleet } from '../../engine/test/fleet.js'
import { command, jolt, out, planFile, type Ended } from './command.js'
import { Machines } from './machines.js'

const [RATE, STEPS, LONG_MS] = [8, 12, 120_000]
const PORT = 8080
const machines = Machines.make(['north', 'south'])
const children: ChildProcess[] = []
/** What each target was asked for: a letter for each request. */
const asked = { north: '', south: '' }
let fleet: TestFleet

const TARGET = `require('node:http').createServer((q, r) => {
  process.stdout.write({ POST: 's', DELETE: 't' }[q.method] ?? 'r')
  r.end('{"ticket":"t-7"}')
}).listen(${String(PORT)}, '127.0.0.1', () => process.stdout.write('|'))`

beforeAll(async () => {
  if (machines === undefined) return
  fleet = await TestFleet.start(['north/lk1', 'south/lk2'], machines.host)
  for (const [place, name] of [
    ['north', 'lk1'],
    ['south', 'lk2'],
  ] as const) {
    const target = machines.spawn(place, process.execPath, ['-e', TARGET], ['ignore', 'pipe', 'ignore'])
    target.stdout?.on('data', (chunk: Buffer) => (asked[place] += chunk.toString()))
    const key = ['--key', join(fleet.folder, `${name}.key`), '--threads', '1', '--allow-loopback']
    const args = [command, 'generate', '--join', fleet.address, ...key]
    const generator = machines.spawn(place, process.execPath, args, ['ignore', 'ignore', 'pipe'])
    children.push(target, generator)
    const joined = new Promise<void>((resolve) => {
      generator.stderr?.on('data', (chunk: Buffer) => {
        if (chunk.includes('has joined')) resolve()
      })
    })
    await joined
    await vi.waitUntil(() => asked[place] === '|', 30_000)
  }
})
beforeEach(() => {
  asked.north = asked.south = ''
})
afterAll(async () => {
  if (machines === undefined) return
  for (const child of children) child.kill('SIGKILL')
  await fleet.stop()
  machines.stop()
})

const PLAN = `jolt: 1
name: Two machines
target: http://127.0.0.1:${String(PORT)}
places: { north: 1, south: 1 }
drain: 2s
setup:
  - send: POST /tickets
    keep: { ticket: json $.ticket }
journeys:
  a:
    steps:${Array.from({ length: STEPS }, (_, step) => `\n      - send: GET /{ticket}\n        name: step ${String(step)}`).join('')}
load:
  - { phase: p, rate: ${String(RATE)}/s, for: SECONDSs }
teardown:
  - send: DELETE /tickets/{ticket}
gates:
  - failed requests at most 1 %
`
const result = join(out, 'machines.json')
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms))

/** Runs; what is done meanwhile begins when the load does. */
async function run(seconds: number, meanwhile: () => Promise<void> | void = () => undefined): Promise<Ended> {
  const plan = planFile('machines.gate.yaml', PLAN.replace('SECONDS', String(seconds)))
  const key = ['--fleet-key', join(fleet.folder, 'coordinator.key')]
  const running = jolt(['run', plan, '--fleet', fleet.address, ...key, '--json', result])
  const begun = expect.poll(() => asked.south, { timeout: 30_000 }).toMatch(/r/)
  await Promise.race([running, begun])
  await meanwhile()
  return running
}

/** Every request was made once and is counted once, and setup and teardown were made where the load is. */
function expectWhole({ code, stdout, wasHostBusy }: Ended, seconds: number): void {
  const half = (RATE * STEPS * seconds) / 2
  const inAnyOrder = (letters: string) => letters.split('').sort().join('')
  expect([inAnyOrder(asked.north), asked.south], stdout).toEqual([`${'r'.repeat(half)}st`, 'r'.repeat(half)])
  const { generator, totals } = JSON.parse(readFileSync(result, 'utf8')) as {
    totals: { requests: number }
    generator: { fleet: { id: string; requests: number; lostSeconds: number }[] }
  }
  expect(totals.requests).toBe(2 * half)
  expect(generator.fleet.map(({ id, requests, lostSeconds }) => [id, requests, lostSeconds])).toEqual([
    ['north/lk1', half, 0],
    ['south/lk2', half, 0],
  ])
  expect(stdout).not.toMatch(/was lost|generator (?:north|south)/)
  expect(wasHostBusy ? [0, 3] : [0], stdout).toContain(code)
}

it.skipIf(machines === undefined)(
  'loopback is the generator’s own, and setup and teardown are made there',
  async () => {
    expectWhole(await run(3), 3)
  },
  LONG_MS,
)

it.skipIf(machines === undefined)(
  'a link that is cut for two seconds costs nothing',
  async () => {
    const ended = await run(10, async () => {
      await pause(2000)
      machines?.cut('south')
      await pause(2000)
      machines?.mend('south')
    })
    expectWhole(ended, 10)
  },
  LONG_MS,
)

it.skipIf(machines === undefined)(
  'a link slower than what is told: the result waits for it, and is whole',
  async () => {
    const [seconds, beganMs] = [8, performance.now()]
    const ended = await run(seconds, () => machines?.slow('south', 4000))
    machines?.hasten('south')
    expectWhole(ended, seconds)
    // It was slow indeed.
    expect(performance.now() - beganMs).toBeGreaterThan(1000 * (seconds + 4))
  },
  LONG_MS,
)

it.skipIf(machines === undefined)(
  'a link that is cut for longer than ten seconds makes the run void, and the load ends at both ends of it',
  async () => {
    const { code, stdout } = await run(60, async () => {
      await pause(2000)
      machines?.cut('south')
      await pause(14_000)
      machines?.mend('south')
    })
    expect(code).toBe(3)
    expect(stdout).toMatch(/generator south\/lk2 was lost: nothing was heard of it for 10 s/)
    const before = asked.south
    await pause(1500)
    expect(asked.south).toBe(before)
    expect(before.length).toBeLessThan((20 * RATE * STEPS) / 2)
  },
  LONG_MS,
)
