import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { rehearse } from '../src/index.js'
import { planFor } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
let asked = 0
beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    const path = request.url ?? ''
    if (path === '/old') response.writeHead(302, { location: '/older' }).end()
    else if (path === '/older') response.writeHead(303, { location: '/new' }).end()
    else if (path === '/ready') response.end(JSON.stringify({ ready: ++asked >= 3 }))
    else response.end('{}')
  })
})
beforeEach(() => {
  asked = 0
})
afterAll(() => server.stop())

const load = 'load:\n  - { phase: p, rate: 5/s, for: 1s }\n'
const run = { id: 'r', seed: 1, startedAtMs: 0, secrets: {}, overrides: {} }

describe('a rehearsal', () => {
  it('shows each redirect with its answer', async () => {
    const steps = '      - send: POST /old\n        json: { a: 1 }\n'
    const { plan, target } = planFor(server.origin, `journeys:\n  one:\n    steps:\n${steps}${load}`)

    const { steps: walked } = await rehearse({ plan, target, run })

    expect(walked).toMatchObject([
      {
        hops: [
          { method: 'POST', url: `${server.origin}/old`, status: 302 },
          { method: 'GET', url: `${server.origin}/older`, status: 303 },
        ],
        request: { method: 'GET', url: `${server.origin}/new`, body: null },
        timing: { tls: null },
      },
    ])
  })

  it('names the rule of a schema that an answer breaks', async () => {
    const steps = `      - send: GET /one\n        check: [body fits schema one.json]\n`
    const files = { 'one.json': '{"type":"object","required":["id"]}' }
    const { plan, target } = planFor(server.origin, `journeys:\n  one:\n    steps:\n${steps}${load}`, { files })

    const { steps: walked } = await rehearse({ plan, target, run })

    expect(walked[0]?.failure?.detail).toBe("body fits schema one.json: it must have required property 'id'")
  })

  it('skips waits, but not those until something holds, unless it is asked to wait', async () => {
    const steps = `      - send: GET /one
      - wait: 700ms
      - repeat: { until: json $.ready is true, at most: 5 }
        steps:
          - send: GET /ready
          - wait: 200ms
`
    const { plan, target } = planFor(server.origin, `journeys:\n  one:\n    steps:\n${steps}${load}`)
    const timeOf = async (waits: boolean) => {
      asked = 0
      return (await rehearse({ plan, target, run, waits })).journeys[0]?.timeMs ?? 0
    }

    const [without, waiting] = [await timeOf(false), await timeOf(true)]

    expect(asked).toBe(3)
    expect(without).toBeGreaterThan(3 * 200 - 1)
    expect(waiting).toBeGreaterThan(700 + 3 * 200 - 1)
    expect(waiting - without).toBeGreaterThan(350)
  })

  it('goes again for one step alone, or for all of the repeat or the requests at once that it stands in', async () => {
    const steps = `      - { send: GET /one, name: one }
      - repeat: 2
        steps:
          - { send: GET /two, name: two }
      - parallel:
          - { send: GET /left, name: left }
          - { send: GET /right, name: right }
      - { send: GET /last, name: last }
`
    const { plan, target } = planFor(server.origin, `journeys:\n  walk:\n    steps:\n${steps}${load}`)
    const memory = (step: string) => ({ journey: 'walk', step, values: new Map(), cookies: null })
    const again = async (step: string) => {
      const { steps: walked } = await rehearse({ plan, target, run, resume: { memory: memory(step), only: true } })
      return walked.map((one) => one.step)
    }

    expect(await again('one')).toEqual(['one'])
    expect(await again('two')).toEqual(['two', 'two'])
    expect((await again('right')).toSorted()).toEqual(['left', 'right'])
    expect(await again('last')).toEqual(['last'])
  })

  it('that is stopped leaves out what is left, but for the teardown', async () => {
    const steps = `      - send: GET /one
      - wait: 200s
      - send: GET /two
`
    const more = 'teardown:\n  - send: DELETE /holds\n'
    const { plan, target } = planFor(server.origin, `journeys:\n  one:\n    steps:\n${steps}${more}${load}`)
    const leaving = new AbortController()

    const { passed, steps: walked } = await rehearse({
      ...{ plan, target, run, waits: true },
      signal: leaving.signal,
      onStep: ({ step }) => {
        if (step === 'GET /one') leaving.abort()
      },
    })

    expect(walked.map(({ step }) => step)).toEqual(['GET /one', 'DELETE /holds'])
    expect(passed).toBe(false)
  })
})
