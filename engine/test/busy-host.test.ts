import { spawn, type ChildProcess } from 'node:child_process'
import { cpus } from 'node:os'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { HostWatch } from './host.js'
import { HOST, ONE_REQUEST, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

/** What the service takes at the least, and hardly more; the gates leave no doubt. */
const TAKES_MS = 300
const RUNS = 5

let server: TrueServer
let loops: ChildProcess[] = []
beforeAll(async () => {
  server = await startTrueServer((_, response) => {
    setTimeout(() => response.end('{}'), TAKES_MS)
  })
  const loop = `const end = Date.now() + 120000; while (Date.now() < end);`
  loops = cpus().map(() => spawn(process.execPath, ['-e', loop], { stdio: 'ignore' }))
})
afterAll(async () => {
  for (const loop of loops) loop.kill('SIGKILL')
  await server.stop()
})

describe('beside a busy loop on every core', () => {
  it(`clear answers are right in ${String(2 * RUNS)} of ${String(2 * RUNS)} cases`, async () => {
    const statuses: string[] = []
    for (let run = 0; run < RUNS; run++) {
      const watch = new HostWatch()
      const { judgement, result } = await runPlan(
        server.origin,
        `${ONE_REQUEST}load:\n  - { phase: p, rate: 100/s, for: 2s }\ngates:\n  - p95 response time under 3s\n  - p95 response time under 20 ms\n`,
        { warmsUp: true },
      )
      // What the host takes away is no busy loop: the kernel tells it apart.
      const wasStolen = watch.wasBusy({ ownIsCounted: false })
      const [held, breached] = result.gates.map(({ status }) => status)
      statuses.push(
        wasStolen && judgement.verdict === 'void' ? HOST : `${held ?? ''}, ${breached ?? ''}, ${judgement.verdict}`,
      )
    }

    expect(statuses.filter((status) => status !== HOST && status !== 'held, breached, shut')).toEqual([])
    expect(statuses).toContain('held, breached, shut')
  })
})
