// The load in full against a server that counts: users, iterations, caps, tracks, rows, stop rules, metrics, dead
// workers.
import type { Worker } from 'node:worker_threads'
import { baselineFrom, loadSeconds, type RunResult } from '@jolt-gate/core'
import { startFerries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { begin, expectOpen, HOST, ONE_REQUEST, planFor, runPlan, skipWhenBusy, verdictOf } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
/** Answers take so long. */
let answerMs = 0
let inFlight = 0
let mostInFlight = 0
let failEvery = 0
let asked = 0

beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    if (request.url === '/metrics') {
      response.end(
        `# TYPE seen counter\nseen_total ${String(asked)}\n# TYPE queue gauge\nqueue{pool="a"} ${String(asked % 7)}\nqueue{pool="b"} 100\n# EOF\n`,
      )
      return
    }
    mostInFlight = Math.max(mostInFlight, ++inFlight)
    asked++
    const status = failEvery > 0 && asked % failEvery === 0 ? 500 : 200
    setTimeout(() => {
      inFlight--
      response.writeHead(status).end('{"ok":true}')
    }, answerMs)
  })
})
beforeEach(() => {
  server.arrivals.clear()
  server.bodies.length = 0
  answerMs = failEvery = mostInFlight = asked = 0
})
afterAll(() => server.stop())

const load = (...phases: string[]) => `load:\n${phases.map((phase) => `  - ${phase}\n`).join('')}`
const sent = () => server.bodies.filter((body) => body !== '')

describe('arrivals', () => {
  it('constant 1/s for 10 s, rest 1 s, ramp 1/s to 15/s over 10 s and a batch of 15 in 10 s make 10, 0, 80 and 15, and the service counted the same', async () => {
    const load =
      'load:\n  - { phase: c, rate: 1/s, for: 10s }\n  - { phase: rest, rest: 1s }\n  - { phase: r, rate: 1/s to 15/s, for: 10s }\n  - { phase: b, starts: 15, for: 10s }\n'

    const { result } = await runPlan(server.origin, ONE_REQUEST + load)

    expect(result.phases.map((phase) => phase.arrivalsStarted)).toEqual([10, 0, 80, 15])
    expect(server.arrivals.get('/one')).toHaveLength(105)
    expect(result.totals).toMatchObject({
      arrivalsDue: 105,
      arrivals: 105,
      requests: 105,
      failedRequests: 0,
      journeys: 105,
    })
  })
})

describe('users', () => {
  it('are so many at once, each iterating again as its iteration ends, and leave on a fall', async () => {
    answerMs = 100
    const plan = ONE_REQUEST + load('{ phase: held, users: 8, for: 2s }', '{ phase: fall, users: 8 to 0, for: 2s }')

    const { result } = await runPlan(server.origin, plan, { senders: 2 })

    expect(mostInFlight).toBe(8)
    // 8 users of a little more than 100 ms make at most 80 a second, and half of that on the fall; a busy host makes
    // fewer.
    const [held, fall] = result.phases
    expect(held?.arrivalsStarted).toBeGreaterThan(20)
    expect(held?.arrivalsStarted).toBeLessThanOrEqual(168)
    expect(fall?.arrivalsStarted).toBeGreaterThan(5)
    expect(fall?.arrivalsStarted).toBeLessThan(100)
    expect(result.totals).toMatchObject({ peakUsers: 8, failedRequests: 0, arrivalsDue: result.totals.arrivals })
  })

  it('make exactly their iterations, the same whatever the number of senders, and the phase is as long as they took', async () => {
    const parts = `seed: 9
values: { n: { whole: 1 to 1000000 }, each: { whole: 1 to 1000000, lasts: use }, all: { whole: 1 to 1000000, lasts: run } }
journeys:
  a:
    weight: 2
    steps:
      - send: POST /a
        json: { n: "{n}", each: "{each}", again: "{each}", all: "{all}", user: "{user.number}" }
      - wait: 10ms to 30ms
  b:
    steps:
      - send: POST /b
        json: { n: "{n}", all: "{all}" }
`
    const text = parts + load('{ phase: p, users: 6, iterations: 9 }')
    const bodiesWith = async (senders: number) => {
      server.bodies.length = 0
      const { result } = await runPlan(server.origin, text, { senders })
      return { bodies: sent().toSorted(), result }
    }
    const one = await bodiesWith(1)

    expect(one.bodies).toHaveLength(54)
    expect(new Set(one.bodies).size).toBe(54)
    expect(one.bodies.filter((body) => body.includes('each'))).toHaveLength(36)
    expect(new Set(one.bodies.map((body) => /"all":(\d+)/.exec(body)?.[1])).size).toBe(1)
    expect(one.bodies.every((body) => !/"each":(\d+),"again":\1,/.test(body))).toBe(true)
    // Of the time that they might have taken.
    expect(one.result.measuredMs).toBeLessThan(1000 * loadSeconds(planFor(server.origin, text).plan))
    expect((await bodiesWith(2)).bodies).toEqual(one.bodies)
  })

  it('and arrivals run beside one another, each track with its own phases', async () => {
    const parts = `journeys:
  look:
    steps:
      - send: GET /look
  senderPool:
    load:
      - { phase: early, rest: 500ms }
      - { phase: senderPool, users: 2, for: 1500ms }
    steps:
      - send: GET /senderPool
      - wait: 200ms
`
    const { result } = await runPlan(server.origin, parts + load('{ phase: arrivals, rate: 20/s, for: 1s }'))

    expect(result.phases.map(({ name, track, fromMs, toMs }) => [name, track, fromMs, toMs])).toEqual([
      ['arrivals', null, 0, 1000],
      ['early', 'senderPool', 0, 500],
      ['senderPool', 'senderPool', 500, 2000],
    ])
    expect(server.arrivals.get('/look')).toHaveLength(20)
    expect(result.measuredMs).toBe(2000)
    expect(result.phases[2]?.arrivalsStarted).toBeGreaterThanOrEqual(4)
    expect(result.phases[2]?.arrivalsStarted).toBeLessThanOrEqual(18)
  })
})

describe('limits', () => {
  it('cap arrivals, over all senders, and count them', async (context) => {
    answerMs = 300
    const plan = `cap: 5 users\n${ONE_REQUEST}${load('{ phase: p, rate: 50/s, for: 2s }')}`

    const { result, judgement } = await runPlan(server.origin, `${plan}gates:\n  - capped arrivals at most 90 %\n`, {
      senders: 2,
    })
    const unlimited = await runPlan(server.origin, plan)

    expect(mostInFlight).toBe(5)
    expect(result.totals.capped).toBeGreaterThan(20)
    expect(result.totals.capped + result.totals.arrivals).toBe(100)
    expectOpen(judgement, context)
    expect(unlimited.judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(unlimited.judgement.reasons.join()).toMatch(/arrivals were capped/)
  })

  it('scale the load, and show counts and rates without judging them', async (context) => {
    const plan = `${ONE_REQUEST}${load('{ phase: p, rate: 40/s, for: 2s }')}gates:\n  - requests at least 70\n  - failed requests at most 1 %\n`

    const { result, judgement } = await runPlan(server.origin, plan, { scale: 0.25 })

    expect(server.arrivals.get('/one')).toHaveLength(20)
    expect(result.gates.map(({ status }) => status)).toEqual(['not judged', 'held', 'held'])
    expectOpen(judgement, context)
  })
})

describe('random arrivals', () => {
  it('are the same for the same seed, whatever the number of senders, and their number is known', async () => {
    const plan = `seed: 4\n${ONE_REQUEST.replace('GET /one', 'GET /{user.number}')}${load('{ phase: p, rate: 60/s, for: 2s, spacing: random }')}`
    const pathsWith = async (senders: number) => {
      server.arrivals.clear()
      const { result } = await runPlan(server.origin, plan, { senders })
      expect(result.totals.arrivals).toBe(result.totals.arrivalsDue)
      return [...server.arrivals.keys()].length
    }

    expect(await pathsWith(1)).toBe(await pathsWith(2))
  })
})

describe('rows', () => {
  const plan = (take: string, starts: number) => `data: { p: { file: p.csv, ${take} } }
journeys:
  a:
    steps:
      - send: POST /
        text: "{p.name}"
  b:
    steps:
      - send: POST /
        text: "other"
${load(`{ phase: p, starts: ${String(starts)}, for: 500ms }`)}`
  const files = { 'p.csv': `name\n${Array.from({ length: 20 }, (_, row) => `row${String(row)}`).join('\n')}\n` }
  const names = () =>
    sent()
      .filter((body) => body.startsWith('row'))
      .toSorted()

  it('taken once each go to one user alone, whatever the number of senders', async () => {
    const { result } = await runPlan(server.origin, plan('take: once each', 40), { files, senders: 2 })

    expect(names()).toEqual(Array.from({ length: 20 }, (_, row) => `row${String(row)}`).sort())
    expect(result.totals.outOfData).toBe(0)
  })

  it('that run out make the run void, or end it, or start over, as the plan says', async (context) => {
    const spent = await runPlan(server.origin, plan('take: once each', 60), { files })
    expect(spent.result.totals.outOfData).toBe(10)
    expect(spent.judgement).toMatchObject({ verdict: 'void' })
    expect(spent.judgement.reasons.join()).toMatch(/the data ran out for 10/)

    server.bodies.length = 0
    await runPlan(server.origin, plan('take: once each, then: again', 60), { files, senders: 2 })
    expect(names()).toHaveLength(30)
    expect(new Set(names()).size).toBe(20)

    server.bodies.length = 0
    const stopped = await runPlan(
      server.origin,
      plan('take: once each, then: stop', 60).replace('for: 500ms', 'for: 3s'),
      { files },
    )
    expect(names()).toHaveLength(20)
    expect(stopped.result.totals.arrivals).toBeLessThan(60)
    expectOpen(stopped.judgement, context)
    expect(stopped.result.measuredMs).toBeLessThan(3000)
  })

  it('in turn are row k mod rows, and of users who come again none goes twice', async () => {
    const turns = plan('take: in turn', 45).replace(/ {2}b:[\s\S]*(?=load)/, '')
    await runPlan(server.origin, turns, { files, senders: 2 })
    expect(names().filter((name) => name === 'row0' || name === 'row4')).toHaveLength(6)
    expect(names().filter((name) => name === 'row5')).toHaveLength(2)

    server.bodies.length = 0
    const closed = plan('take: once each', 1).replace('starts: 1, for: 500ms', 'users: 4, iterations: 9')
    const { judgement } = await runPlan(server.origin, closed, { files, senders: 2, warmsUp: true })
    expect(names()).toHaveLength(18)
    expect(new Set(names()).size).toBe(18)
    expect(judgement.reasons.join()).not.toMatch(/ran out/)
  })
})

describe('a journey with pacing', () => {
  it('begins an iteration at least so long after the one before began, and no sooner for a fast answer', async () => {
    const journey = ONE_REQUEST.replace('    steps:', '    pacing: 300ms\n    steps:')
    server.arrivals.delete('/one')
    const { result } = await runPlan(server.origin, `${journey}load:\n  - { phase: p, users: 1, for: 2s }\n`)

    // Due at 0, 300, … 1800 ms.
    expect(result.totals.requests).toBe(7)
    const at = server.arrivals.get('/one') ?? []
    for (let index = 1; index < at.length; index++)
      // The first one may itself be late.
      expect((at[index] ?? 0) - (at[0] ?? 0)).toBeGreaterThan(300 * index - 200)
  })
})

/** Statuses of the gates that the plan has. */
const ownGates = ({ gates }: RunResult) =>
  gates.flatMap(({ status, isDefault }) => (isDefault === true ? [] : [status]))

describe('the judgement', () => {
  it('stops the run when a gate says so, with the verdict shut and teardown done', async () => {
    failEvery = 2
    const plan = `${ONE_REQUEST}teardown:\n  - send: DELETE /cleared\n${load('{ phase: p, rate: 40/s, for: 30s }')}gates:\n  - rule: failed requests at most 25 %\n    stop: after 2 breached seconds in a row\n`
    const { result, judgement } = await runPlan(server.origin, plan)

    // Thirty seconds were due.
    expect(result.totals.arrivals).toBeLessThan(result.totals.arrivalsDue / 2)
    expect(judgement).toMatchObject({ verdict: 'shut', exitCode: 1 })
    expect(judgement.reasons[0]).toMatch(/stopped the run after/)
    expect(result.gates[0]).toMatchObject({ status: 'breached' })
    expect(result.gates[0]?.observed).toBeGreaterThan(25)
    // What the stop cut off is shown, and breaches no gate.
    expect(result.steps[0]?.failures.map(({ kind }) => kind)).toEqual(['status'])
    expect(result.gates[0]?.stoppedAtMs).toBeGreaterThanOrEqual(2000)
    expect(server.arrivals.get('/cleared')).toHaveLength(1)
  })

  it('holds gates to a baseline of the same load, and to none of another', async (context) => {
    const gates =
      'gates:\n  - median response time at most 400 % of baseline or 400 ms\n  - requests at most 200 % of baseline\n'
    const plan = (rate: number) => ONE_REQUEST + load(`{ phase: p, rate: ${String(rate)}/s, for: 1s }`) + gates
    const first = await runPlan(server.origin, plan(20))
    const baseline = baselineFrom(first.result)

    const second = await runPlan(server.origin, plan(20), { baseline })
    const other = await runPlan(server.origin, plan(10), { baseline })

    expect(ownGates(first.result)).toEqual(['no baseline', 'no baseline'])
    expectOpen(first.judgement, context)
    expect(second.result.gates.slice(0, 2).every(({ baselineValue }) => baselineValue !== null)).toBe(true)
    expect(second.result.baseline?.id).toBe('test')
    expect(ownGates(other.result)).toEqual(['no baseline', 'no baseline'])
    // A busy host may leave the time undecided, never the count.
    expect(ownGates(second.result)[1]).toBe('held')
    if (verdictOf(second.judgement) !== HOST) expect(ownGates(second.result)[0]).toBe('held')
  })

  it('reads metrics each second: counters as rates, ratios, and labels told apart', async (context) => {
    const target = `metrics:
  seen: { url: /metrics, family: seen }
  queue: { url: /metrics, family: queue, labels: { pool: a }, ceiling: 6 }
  both: { url: /metrics, family: queue }
  share: { url: /metrics, family: seen, as: ratio of seen }
`
    const gates =
      'gates:\n  - mean metric "seen" at least 20\n  - max metric "queue" under 7\n  - min metric "both" at least 100\n'
    const plan = ONE_REQUEST + load('{ phase: p, rate: 40/s, for: 4s }') + gates
    const { result, judgement } = await runPlan(server.origin, plan, { target })

    expect(ownGates(result).slice(1)).toEqual(['held', 'held'])
    expect(result.series.metrics['seen']?.[0]).toBeNull()
    expect(result.series.metrics['share']?.[2]).toBe(1)
    if (verdictOf(judgement) === HOST) skipWhenBusy(judgement, context)
    expect(result.gates[0]?.status).toBe('held')
    expect(result.series.metrics['seen']?.[2]).toBeGreaterThan(15)
    expect(result.series.metrics['seen']?.[2]).toBeLessThan(80)
  })

  it('is void when a worker dies, and what it had recorded is kept', async () => {
    const workers: Worker[] = []
    const note = (worker: Worker) => workers.push(worker)
    process.on('worker', note)
    const plan = ONE_REQUEST + load('{ phase: p, rate: 20/s, for: 6s }')
    const handle = begin(server.origin, plan, {
      onEvent: (event) => {
        if (event.kind === 'bucket' && event.bucket.second === 2) for (const worker of workers) void worker.terminate()
      },
    })
    const { result, judgement } = await handle.done
    process.off('worker', note)

    expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(judgement.reasons.join()).toMatch(/a sender ended too early/)
    expect(result.totals.requests).toBeGreaterThanOrEqual(20)
  })
})

describe('against the ferries', () => {
  it('Little’s law holds on a finished run: users in flight are arrival rate times time in flight', async (context) => {
    const ferries = await startFerries({ places: 20, queue: 100 })
    const parts = `journeys:
  a:
    steps:
      - send: GET /sailings{?from,day}
        with: { from: OSTREY, day: 2026-06-01 }
        name: search
      - wait: 400ms
      - send: GET /health
${load('{ phase: p, rate: 50/s, for: 8s }')}`
    const { result, judgement } = await runPlan(ferries.origin, parts)
    await ferries.stop()

    // J. D. C. Little, "A proof for the queuing formula L = λW", 1961; the middle of the run, where it is steady.
    const inFlight = result.series.users.slice(2, 7).reduce((sum, users) => sum + users, 0) / 5
    const expected = 50 * ((result.journeys[0]?.time?.mean ?? 0) / 1000)
    // The series holds the most in each second, which is a little more than the mean.
    if (verdictOf(judgement) === HOST) skipWhenBusy(judgement, context)
    expect(inFlight).toBeGreaterThan(0.9 * expected)
    expect(inFlight).toBeLessThan(1.35 * expected + 2)
  })
})
