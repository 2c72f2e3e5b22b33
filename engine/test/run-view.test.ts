// What a page shows of a run is what the command shows, at every second, and what the result says at its end.
import { decodeBucket, encodeBucket, gatesOf, previewOf, RunView, shapeOf, type RunEvent } from '@jolt-gate/core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { begin, ONE_REQUEST, planFor } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let answered = 0
beforeAll(async () => {
  server = await startTrueServer((_, response) => {
    response.writeHead(answered++ % 3 === 0 ? 503 : 200).end('{}')
  })
})
afterAll(() => server.stop())

const GATES = `gates:
  - p95 response time under 5 s
  - throughput at least 1000/s
  - p95 response time of "one" under 1 ms
`

/** Runs a plan, and holds beside it the view of a page, which hears nothing but what travels. */
async function runBeside(parts: string, stopAtSecond = Infinity) {
  const plan = `${ONE_REQUEST}${parts}`
  const read = planFor(server.origin, plan)
  const page = new RunView({ gates: gatesOf(read.plan), shape: shapeOf(read.plan, previewOf(read.plan).phases) })
  const differences: number[] = []
  const handle = begin(server.origin, plan, {
    senders: 2,
    onEvent: (event) => {
      page.add(travelled(event))
      const [here, there] = [handle.view, page].map((view) => JSON.stringify([view.gates(), view.steps(), view.series]))
      if (here !== there) differences.push(page.seconds)
      if (page.seconds === stopAtSecond) handle.stop('test')
    },
  })
  const { result, judgement } = await handle.done
  return { page, result, judgement, differences }
}

/** As it comes out of the live stream: a second from its bytes, anything else from JSON. */
function travelled(event: RunEvent): RunEvent {
  if (event.kind === 'bucket') return { kind: 'bucket', bucket: decodeBucket(encodeBucket(event.bucket)) }
  return structuredClone(event)
}

describe('a page', () => {
  it.each([
    ['to its end', 'load:\n  - { phase: p, rate: 40/s, for: 3s }\n', Infinity],
    ['whose iterations end by themselves', 'load:\n  - { phase: p, users: 2, iterations: 20, for: 20s }\n', Infinity],
    ['that a person stops', 'load:\n  - { phase: p, rate: 40/s, for: 30s }\n', 2],
  ])('of a run %s shows what the command shows, and at last what the result says', async (_, load, stopAtSecond) => {
    const { page, result, differences } = await runBeside(load + GATES, stopAtSecond)

    expect(differences).toEqual([])
    expect(page.seconds).toBeGreaterThan(0)
    expect(page.gates()).toEqual(result.gates)
    expect(page.steps()).toEqual(result.steps)
    expect(page.steps()[0]?.requests).toBeGreaterThan(10)
  })

  it('of a run that a gate stops shows the same, with the second in which it was stopped', async () => {
    const gates = `gates:
  - rule: failed requests at most 10 %
    stop: after 2 breached seconds in a row
`
    const { page, result, differences } = await runBeside(`load:\n  - { phase: p, rate: 40/s, for: 30s }\n${gates}`)

    expect(differences).toEqual([])
    expect(result.verdict).toBe('shut')
    expect(page.gates()).toEqual(result.gates)
    expect(page.gates()[0]?.stoppedAtMs).not.toBeNull()
    expect(page.steps()).toEqual(result.steps)
  })
})
