// Findings, each on data made to show it and on data made not to.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  emptyBucket,
  emptyStep,
  explain,
  findingsOf,
  htmlOf,
  impactOf,
  impactWords,
  judge,
  junitOf,
  markdownOf,
  NO_DOUBTS,
  phaseRanges,
  previewOf,
  readResult,
  resultOf,
  RunView,
  shapeOf,
  type Finding,
  type FindingKind,
} from '../src/index.js'
import { bucketOf, distributionOf } from './buckets.js'
import { planText, read } from './reading.js'
import { exponential, HEALTHY, simulate, type SimulatedService } from './simulated.js'

const CONSTANT = '  - { phase: hold, rate: 60/s, for: 120s }'
const CLIMB = '  - { phase: climb, rate: 5/s to 150/s, for: 120s }'
const PEAKED = `  - { phase: before, rate: 40/s, for: 60s }
  - { phase: rise, rate: 40/s to 200/s, for: 30s }
  - { phase: peak, rate: 200/s, for: 30s }
  - { phase: after, rate: 40/s, for: 60s }`

const PEAKED_LESS = PEAKED.replaceAll('40/s', '15/s').replaceAll('200/s', '75/s')

function findings(load: string, service: SimulatedService, seed = 1, gates?: string): Finding[] {
  const { plan, view } = simulate(load, service, seed, gates)
  return explain({ view, gates: plan.gates, reasons: [] }).findings
}
const ofKind = (kind: FindingKind, found: readonly Finding[]) => found.filter((finding) => finding.kind === kind)
const aboveInfo = (found: readonly Finding[]) =>
  found.filter(({ severity }) => severity !== 'info').map(({ kind, text }) => `${kind}: ${text}`)

describe('a healthy service', () => {
  it.each([
    ['constant', CONSTANT],
    ['growing', CLIMB],
    ['peaked', PEAKED],
  ])('has no finding above info in ten runs under a %s load', (_, load) => {
    const found = Array.from({ length: 10 }, (_, seed) => aboveInfo(findings(load, HEALTHY, seed + 1))).flat()

    expect(found).toEqual([])
  })
})

describe('saturation', () => {
  // M/M/c with c = 4 and 50 ms of work serves 80/s at most (Erlang).
  const four: SimulatedService = { servers: 4, workMs: exponential(50), places: 40 }

  it('is found at the rate that the servers can bear', () => {
    const [found] = ofKind('saturation', findings(CLIMB, four))

    expect(found?.evidence['arrivalsPerSecond']).toBeGreaterThan(70)
    expect(found?.evidence['arrivalsPerSecond']).toBeLessThan(90)
    expect(found?.phases).toEqual(['climb'])
  })

  it('is none where all that arrives is completed', () => {
    expect(ofKind('saturation', findings(CLIMB, { ...four, servers: 12 }))).toEqual([])
  })
})

describe('first to fill', () => {
  it('names the metric that reached its ceiling, before response times broke away', () => {
    const [found] = ofKind('first to fill', findings(CLIMB, { servers: 4, workMs: exponential(50) }))

    expect(found).toMatchObject({ severity: 'warning', evidence: { metric: 'busy places', ceiling: 4 } })
    expect(found?.fromMs).toBeGreaterThan(20_000)
    expect(found?.evidence['responseTimesBreakAwayAtMs']).toBeGreaterThan(found?.fromMs ?? Infinity)
  })

  it('is none where every metric has room', () => {
    expect(ofKind('first to fill', findings(CLIMB, HEALTHY))).toEqual([])
  })
})

describe('queueing', () => {
  it('is found at a steady rate above what can be served, with the time to drain', () => {
    const load = '  - { phase: over, rate: 100/s, for: 30s }\n  - { phase: rest, rate: 5/s, for: 60s }'
    const [found] = ofKind('queueing', findings(load, { servers: 4, workMs: exponential(50) }))

    expect(found?.phases).toEqual(['over'])
    // 20/s too many for 30 s leave 600 who wait; 80/s less 5/s drain them in 8 s.
    expect(found?.evidence['usersAtLast']).toBeGreaterThan(400)
    expect(found?.evidence['drainMs']).toBeGreaterThan(5000)
    expect(found?.evidence['drainMs']).toBeLessThan(12_000)
  })
})

describe('failures', () => {
  it('are told by cause, with the load at which they began', () => {
    const failure = (atMs: number) => (atMs >= 60_000 && atMs < 66_000 ? '500' : undefined)
    const [found] = ofKind('failures', findings(CLIMB, { ...HEALTHY, failure }))

    expect(found).toMatchObject({ severity: 'problem', steps: ['search'], evidence: { kind: 'status', detail: '500' } })
    expect(found?.evidence['arrivalsPerSecondThen']).toBeCloseTo(5 + 145 / 2, -1)
    expect(found?.text).toContain('in bursts')
  })
})

describe('failures only under concurrency', () => {
  const race = (limit: number): SimulatedService => ({
    ...HEALTHY,
    failure: (_, inFlight, draws) => (inFlight >= limit && draws.next() < 0.02 ? '409' : undefined),
  })

  it('are found where they need several users in flight', () => {
    const fallen = `${CLIMB}\n  - { phase: fall, rate: 150/s to 5/s, for: 120s }`
    const [found] = ofKind('only under concurrency', findings(fallen, race(6)))

    expect(found?.severity).toBe('problem')
    expect(found?.evidence['usersAtLeast']).toBeGreaterThan(2)
  })

  it('are no more than a warning, that says since when, where the load only grew: a deployment looks the same', () => {
    const deployed: SimulatedService = {
      ...HEALTHY,
      failure: (atMs, _, draws) => (atMs > 80_000 && draws.next() < 0.02 ? '409' : undefined),
    }
    const found = [race(5), deployed].flatMap((service) => ofKind('only under concurrency', findings(CLIMB, service)))

    expect(found.map(({ severity }) => severity)).not.toContain('problem')
    expect(found[0]?.text).toMatch(/fails since \d+:\d\d, .* so time or load may be why/)
  })

  it('are none where they come with any number', () => {
    const any = Array.from({ length: 5 }, (_, seed) =>
      ofKind(
        'only under concurrency',
        findings(CLIMB, { ...HEALTHY, failure: (_at, _in, draws) => (draws.next() < 0.01 ? '500' : undefined) }, seed),
      ),
    )

    expect(any.flat()).toEqual([])
  })
})

describe('a cold start', () => {
  it('is none where the first seconds of a climb have few times, which stray', () => {
    // Times that spread widely: the median of five is often half as much again as that of a hundred.
    const spread: SimulatedService = { servers: 200, workMs: (_, draws) => 60 * Math.exp(1.2 * draws.nextNormal()) }
    const climb = '  - { phase: climb, rate: 4/s to 100/s, for: 90s }'
    const runs = Array.from({ length: 40 }, (_, seed) => ofKind('cold start', findings(climb, spread, seed)))

    expect(runs.filter((found) => found.length > 0).length).toBeLessThanOrEqual(2)
  })

  it('is found in the first seconds, and how long it lasted', () => {
    const cold = { ...HEALTHY, delayMs: (atMs: number) => (atMs < 6000 ? 150 : 5) }
    const [found] = ofKind('cold start', findings(CONSTANT, cold))

    expect(found?.severity).toBe('warning')
    expect(found?.evidence['seconds']).toBeGreaterThanOrEqual(6)
    expect(found?.evidence['seconds']).toBeLessThanOrEqual(7)
  })
})

describe('periodic spikes', () => {
  it('are found with their period', () => {
    const pauses = { ...HEALTHY, delayMs: (atMs: number) => (atMs % 9000 < 900 ? 180 : 5) }
    const [found] = ofKind('periodic spikes', findings(CONSTANT, pauses))

    expect(found?.evidence['periodSeconds']).toBeCloseTo(9, 0)
  })

  it.each([2.5, 7.3])('are found where the period is no whole number of seconds: %f', (period) => {
    const pauses = { ...HEALTHY, delayMs: (atMs: number) => (atMs % (1000 * period) < 500 ? 180 : 5) }
    const told = Array.from({ length: 10 }, (_, seed) =>
      ofKind('periodic spikes', findings(CONSTANT, pauses, seed)).map(({ evidence }) =>
        Number(evidence['periodSeconds']),
      ),
    )

    expect(told.flat().filter((seconds) => Math.abs(seconds - period) < 0.15).length).toBeGreaterThanOrEqual(9)
  })

  it('are none where long times come at random', () => {
    const random = {
      ...HEALTHY,
      workMs: (_: number, draws: { next: () => number }) => (draws.next() < 0.05 ? 250 : 20),
    }
    const found = Array.from({ length: 10 }, (_, seed) => ofKind('periodic spikes', findings(CONSTANT, random, seed)))

    expect(found.flat()).toEqual([])
  })
})

describe('users who come in groups', () => {
  it('are no sign of saturation', () => {
    const groups: SimulatedService = { ...HEALTHY, servers: 250, inGroupsOf: 20 }
    const found = Array.from({ length: 20 }, (_, seed) => ofKind('saturation', findings(CLIMB, groups, seed + 1)))

    expect(found.flat()).toEqual([])
  })
})

describe('drift', () => {
  it('is found in response times at a steady load, with its slope', () => {
    const leak = { ...HEALTHY, delayMs: (atMs: number) => 5 + atMs / 2000 }
    const [found] = ofKind('drift', findings(CONSTANT, leak))

    // Half a millisecond a second is thirty a minute.
    expect(found?.evidence['perMinuteMs']).toBeGreaterThan(27)
    expect(found?.evidence['perMinuteMs']).toBeLessThan(33)
  })

  it('is found where the slowest alone get slower', () => {
    const tail: SimulatedService = {
      servers: 200,
      workMs: (atMs, draws) => (draws.next() < 0.08 ? 100 + atMs / 400 : 20) * (0.8 + 0.4 * draws.next()),
    }
    const found = Array.from({ length: 10 }, (_, seed) => ofKind('drift', findings(CONSTANT, tail, seed + 1))).flat()

    expect(found.filter(({ text }) => text.includes('the 95th percentile of'))).toHaveLength(10)
  })

  it('is none where few requests of very different lengths come', () => {
    const wide: SimulatedService = { servers: 100, workMs: (_, draws) => 5 + 200 * draws.nextExponential() ** 2 }
    const loads = ['  - { phase: hold, rate: 1/s, for: 120s }', '  - { phase: hold, rate: 0.5/s, for: 300s }', CONSTANT]
    const found = loads.flatMap((load) =>
      Array.from({ length: 30 }, (_, seed) => ofKind('drift', findings(load, wide, seed + 1))),
    )

    expect(found.filter((one) => one.length > 0).length).toBeLessThanOrEqual(2)
  })

  it('is found in a metric, with the hours to its ceiling', () => {
    const memory = { name: 'memory', ceiling: 1000, value: (second: number) => 400 + second }
    const [found] = ofKind('drift', findings(CONSTANT, { ...HEALTHY, metrics: [memory] }))

    // 480 left at one a second: eight minutes.
    expect(found).toMatchObject({ severity: 'warning', evidence: { metric: 'memory' } })
    expect(Number(found?.evidence['hoursToCeiling']) * 60).toBeCloseTo(8, 0)
  })

  it('is none in a walk at random that comes back, or where a cache fills and levels out', () => {
    const filling = { name: 'cache', ceiling: 1000, value: (second: number) => 500 * (1 - Math.exp(-second / 10)) }
    const swinging = { name: 'queue', ceiling: null, value: (second: number) => 50 + 20 * Math.sin(second / 8) }

    expect(ofKind('drift', findings(CONSTANT, { ...HEALTHY, metrics: [filling, swinging] }))).toEqual([])
  })
})

describe('recovery', () => {
  it('is slow where the queue of a peak outlasts it', () => {
    const small: SimulatedService = { servers: 4, workMs: exponential(50) }
    const load = `  - { phase: before, rate: 20/s, for: 60s }
  - { phase: peak, rate: 130/s, for: 30s }
  - { phase: after, rate: 20/s, for: 90s }`
    const [found] = ofKind('slow recovery', findings(load, small))

    // 50/s too many for 30 s; 60/s more than come are served afterwards: 25 s.
    expect(found?.evidence['recoveryMs']).toBeGreaterThanOrEqual(20_000)
    expect(found?.evidence['recoveryMs']).toBeLessThanOrEqual(35_000)
  })
})

describe('gates', () => {
  it('that would hold ten times as slow are loose', () => {
    const gates = '  - p95 response time of "search" under 10 s\n  - p50 response time of "search" under 200 ms'

    expect(ofKind('loose gate', findings(CONSTANT, HEALTHY, 1, gates)).map(({ evidence }) => evidence['rule'])).toEqual(
      ['p95 response time of "search" under 10 s'],
    )
  })
})

describe('impact', () => {
  const gates = '  - p95 response time of "search" under 300 ms'
  const gradeOf = (load: string, service: SimulatedService, seed = 1) => {
    const { view } = simulate(load, service, seed, gates)
    expect(view.satisfiedMs).toBe(300)
    return impactOf(view, view.satisfiedMs)
  }

  it('of a healthy service is steady in 95 of 100 runs, and it recovers at once', () => {
    const short = ['  - { phase: hold, rate: 30/s, for: 60s }', PEAKED_LESS]
    const runs = short.flatMap((load) => Array.from({ length: 50 }, (_, seed) => gradeOf(load, HEALTHY, seed)))
    const peaked = runs.slice(50).map(({ recovery }) => (recovery.kind === 'recovered' ? recovery.ms : Infinity))

    expect(runs.filter(({ grade }) => grade === 'steady').length).toBeGreaterThanOrEqual(95)
    expect(peaked.toSorted((a, b) => a - b)[25]).toBeLessThanOrEqual(10_000)
  })

  it('of a service that is nearly always fast enough is steady at a low rate, too', () => {
    // One request in forty is slow: an Apdex of 0.975 (with T of 300 ms, and 1300 ms for four times it).
    const service: SimulatedService = { servers: 50, workMs: (_, draws) => (draws.next() < 0.025 ? 1300 : 50) }
    const load = '  - { phase: hold, rate: 1/s, for: 300s }'
    const grades = Array.from({ length: 40 }, (_, seed) => gradeOf(load, service, seed).grade)

    expect(grades.filter((grade) => grade === 'steady').length).toBeGreaterThanOrEqual(38)
  })

  it('of an undisturbed service hardly ever takes 20 s to recover; one that stays slow for 15 s does not do so at once', () => {
    const recovery = (service: SimulatedService, seed: number) => {
      const found = gradeOf(PEAKED_LESS, service, seed).recovery
      return found.kind === 'recovered' ? found.ms : Infinity
    }
    const peakEnds = phaseRanges(simulate(PEAKED_LESS, HEALTHY).view.shape)[2]?.toMs ?? 0
    const slowAfter: SimulatedService = {
      ...HEALTHY,
      workMs: (atMs, draws) => (atMs >= peakEnds && atMs < peakEnds + 15_000 ? 4 : 1) * 40 * draws.nextExponential(),
    }
    const undisturbed = Array.from({ length: 100 }, (_, seed) => recovery(HEALTHY, seed))
    const disturbed = Array.from({ length: 40 }, (_, seed) => recovery(slowAfter, seed))

    expect(undisturbed.filter((ms) => ms < 20_000).length).toBeGreaterThanOrEqual(98)
    expect(undisturbed.filter((ms) => ms < 1000).length).toBeGreaterThanOrEqual(90)
    expect(disturbed.filter((ms) => ms >= 10_000).length).toBeGreaterThanOrEqual(38)
  })

  it.each([
    ['strained', { servers: 9, workMs: exponential(40), places: 4000 }],
    ['failing', { servers: 9, workMs: exponential(40), places: 10 }],
  ] as const)('is %s where the peak is too much', (grade, service) => {
    const load = `  - { phase: before, rate: 40/s, for: 60s }
  - { phase: peak, rate: 300/s, for: 20s }
  - { phase: after, rate: 40/s, for: 80s }`

    expect(gradeOf(load, service).grade).toBe(grade)
  })

  it('is lost where the service does not come back, and not without a reference', () => {
    const broken: SimulatedService = { ...HEALTHY, failure: (atMs) => (atMs > 100_000 ? '500' : undefined) }

    expect(gradeOf(PEAKED, broken)).toMatchObject({ grade: 'lost', recovery: { kind: 'not recovered', phase: 'peak' } })
    expect(gradeOf(CONSTANT, broken)).toMatchObject({ grade: 'failing', recovery: { kind: 'unmeasured' } })
  })

  it('is a gate, and so is recovery', () => {
    const judged = (service: SimulatedService, gates: string, load = PEAKED) => {
      const { view } = simulate(load, service, 1, `  - p95 response time under 300 ms\n  - ${gates}`)
      const [, gate] = view.gates()
      return [gate?.status, gate?.observed, gate?.reason]
    }
    const broken: SimulatedService = { ...HEALTHY, failure: (atMs) => (atMs > 100_000 ? '500' : undefined) }
    const slowAfter: SimulatedService = {
      ...HEALTHY,
      workMs: (atMs, draws) => (atMs > 80_000 && atMs < 110_000 ? 300 : 40) * draws.nextExponential(),
    }

    expect(judged(HEALTHY, 'impact at most strained')).toEqual(['held', 0, undefined])
    expect(judged(broken, 'impact at most strained')).toEqual(['breached', 3, undefined])
    expect(judged(broken, 'impact at most failing')).toEqual(['breached', 3, undefined])
    expect(judged(HEALTHY, 'recovery after "peak" under 30 s')[0]).toBe('held')
    expect(judged(slowAfter, 'recovery after "peak" under 5 s')[0]).toBe('breached')
    expect(judged(broken, 'recovery after "peak" under 20 s')[0]).toBe('breached')
    expect(judged(broken, 'recovery after "peak" under 10 min')).toEqual([
      'unmeasured',
      expect.any(Number),
      'the load ended before it had recovered: let more load follow',
    ])
    expect(judged(HEALTHY, 'recovery after "hold" under 20 s', CONSTANT)).toEqual([
      'unmeasured',
      null,
      'no measured phase of a minute or more comes before it',
    ])
  })

  it('is not judged by a gate where a late generator may have made the grade', () => {
    const { plan } = read(
      planText({
        load: '  - { phase: hold, rate: 20/s, for: 10s }',
        gates: '  - p95 response time under 300 ms\n  - impact at most steady',
      }),
    )
    const shape = shapeOf(plan, previewOf(plan).phases)
    const gradeWith = (ms: number, latenessMs: number) => {
      const view = new RunView({ gates: plan.gates, shape })
      for (let second = 0; second < 10; second++)
        view.add({ kind: 'bucket', bucket: bucketOf(second, { ms: Array<number>(20).fill(ms), latenessMs }) })
      view.add({ kind: 'end' })
      return view.gates()[1]
    }

    expect(gradeWith(250, 0)?.status).toBe('held')
    expect(gradeWith(250, 100)).toMatchObject({
      status: 'undecided',
      reason: 'it may have been steady or strained: the generator was late',
    })
    expect(gradeWith(500, 0)?.status).toBe('breached')
  })

  it('has no grade where nothing says how fast is fast enough', () => {
    expect(impactOf(simulate(CONSTANT, HEALTHY).view, null).grade).toBeNull()
    expect(impactOf(simulate(CONSTANT, HEALTHY).view, 500).grade).toBe('steady')
    // Nothing fails, but hardly an answer comes within four times of what satisfies.
    expect(impactOf(simulate(CONSTANT, HEALTHY).view, 5)).toMatchObject({ grade: 'failing', failedIterationShare: 0 })
  })
})

describe('reports', () => {
  const load = '  - { phase: over, rate: 100/s, for: 30s }\n  - { phase: rest, rate: 5/s, for: 60s }'
  const { plan, view } = simulate(
    load,
    { servers: 4, workMs: exponential(50), places: 60 },
    1,
    '  - p95 response time of "search" under 300 ms',
  )
  const explained = explain({ view, gates: plan.gates, reasons: [] })
  const judgement = judge({
    ending: { kind: 'finished' },
    doubts: NO_DOUBTS,
    results: view.gates(),
    recording: view.recording,
    shape: view.shape,
  })
  const at = { name: 'p', file: 'p', commit: null, branch: null, dirty: false, seed: 1, scale: 1, load: 'l' }
  const identity = {
    id: 'r',
    tool: 't',
    plan: at,
    target: { name: 't', origin: 'http://127.0.0.1:1' },
    startedAt: '2026-06-01T08:00:00.000Z',
    endedAt: '',
  }
  const generator = { fleet: [], reasons: [], calibration: null }
  const result = resultOf(
    identity,
    { judgement, explained, setup: [], teardown: [], renewals: [], generator, baseline: null },
    view,
  )

  it('tell the same findings and the same impact', () => {
    const [first] = findingsOf(result)
    const text = first?.text ?? 'none'

    expect(result.findings?.length).toBeGreaterThan(1)
    expect(readResult(JSON.stringify(result))).toMatchObject({ ok: true, result: { findings: explained.findings } })
    expect(markdownOf(result)).toContain(`**Problem** ${text}`)
    expect(htmlOf(result)).toContain('<strong>Problem</strong> Status 503 in ')
    expect(junitOf([result])).toContain('name="finding: failures" value="problem: Status 503 in ')
    expect(junitOf([result])).toContain('name="impact"')
    expect(markdownOf(result)).toContain(impactWords(result))
  })

  // GitHub Flavored Markdown 0.29, sections 2.4 (backslash escapes) and 6.9 (autolinks, an extension).
  it('are no markup, no link and call nobody in Markdown, whatever they hold', () => {
    const name = 'see https://evil.example www.evil.example @everyone [x](y)'

    const [title] = markdownOf({ ...result, plan: { ...result.plan, name } }).split('\n')

    expect(title).toContain(String.raw`see https\://evil.example www\.evil.example`)
    expect(title).toContain('@\u200beveryone')
    expect(title).toContain(String.raw`\[x\](y)`)
  })
})

describe('whatever a run recorded', () => {
  it('is explained without a fault, in figures that are numbers', () => {
    const second = fc.record({
      ms: fc.array(fc.double({ min: 0.01, max: 60_000, noNaN: true }), { maxLength: 20 }),
      failed: fc.nat(5),
      latenessMs: fc.nat(50),
    })
    fc.assert(
      fc.property(fc.array(second, { maxLength: 60 }), (seconds) => {
        const { plan, view } = simulate('  - { phase: p, users: 1, for: 60s }', HEALTHY)
        for (const [index, one] of seconds.entries()) view.add({ kind: 'bucket', bucket: bucketOf(index, one) })

        const { findings, impact } = explain({ view, gates: plan.gates, reasons: [] })

        for (const { evidence, confidence, fromMs, toMs } of findings)
          for (const value of [...Object.values(evidence), confidence, fromMs, toMs])
            expect(typeof value === 'string' || Number.isFinite(value)).toBe(true)
        expect(impact.lowestApdex === null || (impact.lowestApdex >= 0 && impact.lowestApdex <= 1)).toBe(true)
      }),
      { numRuns: 40 },
    )
  })
})

describe('a plan of hundreds of steps', () => {
  it('has the hundred gravest findings, which a result may hold', () => {
    const steps = Array.from(
      { length: 150 },
      (_, index) => `      - { send: GET /${String(index)}, name: step ${String(index)} }`,
    )
    const { plan } = read(
      planText({
        journeys: `  look:\n    steps:\n${steps.join('\n')}`,
        load: '  - { phase: hold, rate: 5/s, for: 20s }',
      }),
    )
    const view = new RunView({ gates: plan.gates, shape: shapeOf(plan, previewOf(plan).phases) })
    for (let second = 0; second < 20; second++) {
      const bucket = emptyBucket(second)
      // Each step connects anew, for more than half of its time.
      for (let step = 0; step < 150; step++) {
        const [responseTime, connectTime] = [100, 60].map((ms) => distributionOf(Array<number>(20).fill(ms)))
        bucket.steps.push({
          ...emptyStep(0, 0, step, 0),
          requests: 20,
          ...(responseTime && connectTime ? { responseTime, connectTime } : {}),
        })
      }
      view.add({ kind: 'bucket', bucket })
    }

    const { findings: found } = explain({ view, gates: plan.gates, reasons: [] })

    expect(found).toHaveLength(100)
    const levels = found.map(({ severity }) => ['problem', 'warning', 'info'].indexOf(severity))
    expect(levels).toEqual(levels.toSorted((a, b) => a - b))
  })
})
