import { spawn, type ChildProcess } from 'node:child_process'
import { cpus } from 'node:os'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { HostWatch } from './host.js'
import { HOST, ONE_REQUEST, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

/** What the service takes at the least, and hardly more; the gates leave no doubt. */
const TAKES_MS = 300
const RUNS = 10

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
  it.each([
    ['open', 'under 3s'],
    ['shut', 'under 20 ms'],
  ])(`a clear answer is %s in ${String(RUNS / 2)} of ${String(RUNS / 2)} runs`, async (expected, limit) => {
    const verdicts: string[] = []
    for (let run = 0; run < RUNS / 2; run++) {
      const watch = new HostWatch()
      const { judgement } = await runPlan(
        server.origin,
        `${ONE_REQUEST}load:\n  - { phase: p, rate: 100/s, for: 2s }\ngates:\n  - p95 response time ${limit}\n`,
        { warmsUp: true },
      )
      // What the host takes away is no busy loop: the kernel tells it apart.
      const wasStolen = watch.wasBusy({ ownIsCounted: false })
      verdicts.push(wasStolen && judgement.verdict === 'void' ? HOST : judgement.verdict)
    }

    expect(verdicts.filter((verdict) => verdict !== HOST && verdict !== expected)).toEqual([])
    expect(verdicts.filter((verdict) => verdict === expected).length).toBeGreaterThan(0)
  })
})
