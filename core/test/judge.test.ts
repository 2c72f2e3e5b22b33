import { describe, expect, it } from 'vitest'
import { readFileSync } from 'node:fs'
import { validateXML } from 'xmllint-wasm'
import {
  distrust,
  emptyScope,
  explain,
  gatesOf,
  NO_DOUBTS,
  judge,
  judgeRepeated,
  junitOf,
  otlpOf,
  markdownOf,
  previewOf,
  readPlan,
  RunView,
  resultOf,
  scalePlan,
  shapeOf,
  type Ending,
  type Plan,
  type RunShape,
  triedOnPast,
} from '../src/index.js'
import { bucketOf, distributionOf, type Second } from './buckets.js'
import { planText, read } from './reading.js'

interface Load {
  started?: number
  lagMs?: number
  iterationMs?: number
  load?: string
}
function runOf(
  gates: string[],
  seconds: Second[],
  { started = 50, lagMs = 0.1, iterationMs = 100, load }: Load = {},
): { plan: Plan; view: RunView; shape: RunShape; recording: RunView['recording'] } {
  const { plan, problems } = read(
    planText({ gates: gates.map((gate) => `  - ${gate}`).join('\n'), ...(load && { load }) }),
  )
  if (problems.length > 0) throw new Error(problems[0]?.message)
  const shape = shapeOf(plan, previewOf(plan).phases)
  const buckets = seconds.map((second, number) => bucketOf(number, { iterationMs, ...second }))
  buckets[0]?.arrivals.push({
    phase: 0,
    started,
    missed: 50 - started,
    capped: 0,
    outOfData: 0,
    startLag: distributionOf([lagMs]),
  })
  const view = new RunView({ gates: plan.gates, shape })
  for (const bucket of buckets) view.add({ kind: 'bucket', bucket })
  view.add({ kind: 'end' })
  return { plan, view, shape: view.shape, recording: view.recording }
}
const repeat = (value: number, times: number) => new Array<number>(times).fill(value)
const finished: Ending = { kind: 'finished' }

describe('a gate', () => {
  const judged = (gate: string, seconds: Second[]) => {
    return runOf([gate], seconds).view.gates()[0]
  }

  it('on a percentile is held or breached, with margin and first breach', () => {
    const seconds = [{ ms: repeat(100, 60) }, { ms: repeat(400, 60) }]

    expect(judged('p95 response time under 300 ms', seconds)).toMatchObject({
      status: 'breached',
      unit: 'ms',
      samples: 120,
      firstBreachAtMs: 1000,
    })
    expect(judged('p95 response time under 300 ms', [{ ms: repeat(100, 60) }])).toMatchObject({
      status: 'held',
      observed: 100,
      limit: 300,
      margin: 200,
    })
  })

  it('on a percentile with too few samples is unmeasured', () => {
    expect(judged('p95 response time under 300 ms', [{ ms: repeat(100, 58) }])).toMatchObject({
      status: 'unmeasured',
      observed: null,
      samples: 58,
    })
  })

  it('is close where its limit lies within the interval', () => {
    const gate = judged('median response time under 101 ms', [{ ms: [...repeat(100, 52), ...repeat(102, 48)] }])

    expect(gate).toMatchObject({ status: 'held', borderline: true })
  })

  it('on failed requests is a share, or a count where the limit is one', () => {
    const seconds = [{ ms: repeat(10, 98), failed: 2 }]

    expect(judged('failed requests at most 1 %', seconds)).toMatchObject({
      status: 'breached',
      observed: 2,
      limit: 1,
      unit: '%',
    })
    expect(judged('failed requests at most 2', seconds)).toMatchObject({ status: 'held', observed: 2, unit: 'count' })
  })

  it('on a share of nothing is unmeasured', () => {
    expect(judged('failed checks at most 1 %', [{ ms: [5] }])?.status).toBe('unmeasured')
  })

  it('on throughput counts what passed and ended within the phase, over its length', () => {
    const seconds = [
      { ms: repeat(10, 30), failed: 5 },
      { ms: repeat(10, 20), endPhase: -1 },
    ]

    expect(judged('throughput at least 3/s', seconds)).toMatchObject({ status: 'held', observed: 3 })
    expect(judged('requests at least 55', seconds)).toMatchObject({ status: 'held', observed: 55 })
  })
})

describe('the verdict is the first that applies', () => {
  const verdict = (
    ending: Ending,
    seconds: Second[],
    options: { started?: number; faults?: string[]; deaths?: string[] } = {},
  ) => {
    const { plan, view, shape, recording } = runOf(['p95 response time under 300 ms'], seconds, options)
    const { faults = [], deaths = [] } = options
    const doubts = distrust(recording, shape, plan.gates, { local: faults, deaths })
    return judge({ ending, doubts, results: view.gates(), recording, shape })
  }
  const good = [{ ms: repeat(100, 60) }]
  const slow = [{ ms: repeat(400, 60) }]

  it.each([
    ['a fault of our own', verdict({ kind: 'fault', reason: 'bug' }, slow), 'void', 5],
    ['stopped before a breach', verdict({ kind: 'stopped', by: 'SIGINT' }, slow, { started: 10 }), 'stopped', 4],
    ['shut for a breach, though less was started', verdict(finished, slow, { started: 49 }), 'shut', 1],
    ['void where less was started, and nothing is breached', verdict(finished, good, { started: 49 }), 'void', 3],
    ['void when a sender died, whatever it saw', verdict(finished, slow, { deaths: ['killed'] }), 'void', 3],
    ['shut when every request failed', verdict(finished, [{ failed: 60, kind: 'status' }]), 'shut', 1],
    [
      'void when every request failed on our side',
      verdict(finished, [{ failed: 60, kind: 'local' }], { faults: ['EMFILE'] }),
      'void',
      3,
    ],
    ['void for a local error', verdict(finished, good, { faults: ['EMFILE'] }), 'void', 3],
    ['shut for a breach', verdict(finished, slow), 'shut', 1],
    ['shut when nothing was answered', verdict(finished, [{ failed: 50, kind: 'refused' }]), 'shut', 1],
    ['void for an unmeasured gate', verdict(finished, [{ ms: repeat(100, 10) }]), 'void', 3],
    ['open', verdict(finished, good), 'open', 0],
    ['setup that fails is void', verdict({ kind: 'setup failed', reason: 'x', isTargets: false }, []), 'void', 3],
    [
      'setup that the target does not answer is shut',
      verdict({ kind: 'setup failed', reason: 'x', isTargets: true }, []),
      'shut',
      1,
    ],
  ])('%s', (_, judgement, expected, exitCode) => {
    expect(judgement).toMatchObject({ verdict: expected, exitCode })
  })

  it('is void where nothing was measured, though a count of nothing is under every limit', () => {
    const judged = (load: string, seconds: Second[], unfinished = 0) => {
      const { view, shape, recording } = runOf(['requests at most 100'], seconds, { load: `  - ${load}` })
      if (unfinished > 0) recording.journeys.set('a', { ...emptyScope(0, 0, 0), started: unfinished, unfinished })
      return judge({ ending: finished, doubts: NO_DOUBTS, results: view.gates(), recording, shape })
    }
    const becauseOf = (why: string) =>
      expect.objectContaining({ verdict: 'void', exitCode: 3, reasons: [`nothing was measured: ${why}`] }) as unknown

    const due = '{ phase: peak, rate: 5/s, for: 10s }'
    expect(judged(due, [{}])).toEqual(becauseOf('no request ended in a measured phase'))
    expect(judged(due, [{}], 50)).toEqual(becauseOf('all 50 journeys were cut off before they had made a request'))
    for (const load of ['{ phase: peak, rate: 100/h, for: 10s }', '{ phase: warm, rate: 5/s, for: 10s, measure: no }'])
      expect(judged(load, [{ ms: load.includes('warm') ? repeat(100, 60) : [] }])).toEqual(
        becauseOf('no arrival was due in a measured phase'),
      )
    expect(judged(due, [{ ms: repeat(100, 60) }])).toEqual({ verdict: 'open', exitCode: 0, reasons: [], notes: [] })
  })

  it('an unreachable target says so first', () => {
    expect(verdict(finished, [{ failed: 50, kind: 'refused' }]).reasons[0]).toBe(
      'the target did not answer: all 50 measured requests failed (refused 50)',
    )
  })

  it('answers with errors are answers', () => {
    expect(verdict(finished, [{ failed: 60 }]).reasons.join()).not.toMatch(/did not answer/)
  })
})

describe('the generator', () => {
  const load = [{ ms: repeat(100, 60) }]
  const busy = (gate: string) => {
    const run = runOf([gate], load)
    const [row] = run.recording.seconds
    if (row !== undefined) row.busyOfFive = 0.91
    return run.view.gates()[0]
  }

  it('that is over 90 % busy for five seconds leaves what asks for more undecided', () => {
    expect(busy('throughput at least 9/s')).toMatchObject({
      status: 'undecided',
      reason: expect.stringContaining('91 % busy') as unknown,
    })
    expect(busy('throughput at least 5/s')?.status).toBe('held')
    expect(busy('p50 response time under 50 ms')?.status).toBe('breached')
  })

  it('whose own failures breach a gate leaves it undecided; those of the target do not', () => {
    const ofKind = (kind: string) =>
      runOf(['failed requests at most 1 %'], [{ ms: [1], failed: 9, kind }]).view.gates()[0]

    expect(ofKind('local')).toMatchObject({ status: 'undecided' })
    expect(ofKind('refused')).toMatchObject({ status: 'breached' })
  })

  it('that keeps users waiting makes their load lighter, but for a user who is alone', () => {
    const held = (users: number, lagMs: number) =>
      runOf(['failed requests at most 1 %'], [{ ms: repeat(100, 50) }], {
        ...{ lagMs, iterationMs: 150, load: `  - { phase: peak, users: ${users}, for: 2s }` },
      }).view.gates()[0]

    expect(held(4, 5)).toMatchObject({ status: 'undecided', reason: expect.stringContaining('lighter') as string })
    expect(held(4, 1)).toMatchObject({ status: 'held' })
    expect(held(1, 5)).toMatchObject({ status: 'held' })
  })

  it('that was undecided names what the host took away, and says what to do', () => {
    const run = runOf(['p50 response time under 105 ms'], [{ ms: repeat(100, 60), latenessMs: 9, steal: 0.7 }])
    const { view, recording, shape } = run

    expect(judge({ ending: finished, doubts: NO_DOUBTS, results: view.gates(), recording, shape })).toMatchObject({
      verdict: 'void',
      exitCode: 3,
      reasons: [
        'the host took 70 % of the processor in 1 of 1 s',
        'undecided: p50 response time under 105 ms (observed 100 ms; the gate is held by 5.00 ms, and the generator may have changed that by 9.00 ms): run again, or on a quieter machine',
      ],
    })
  })
})

describe('a run made three times', () => {
  const identity = {
    id: 'r',
    tool: '0.1.0',
    plan: { name: 'n', file: 'f', commit: null, branch: null, dirty: false, seed: 1, scale: 1, load: 'x' },
    target: { name: 't', origin: 'http://127.0.0.1:1' },
    startedAt: '',
    endedAt: '',
  }
  const runWith = (ms: number, ending: Ending = finished, started = 50, more: string[] = []) => {
    const { plan, view, recording, shape } = runOf(
      ['p50 response time under 300 ms', ...more],
      [{ ms: repeat(ms, 60) }],
      {
        started,
      },
    )
    const doubts = distrust(recording, shape, plan.gates, { local: [], deaths: [] })
    const judgement = judge({ ending, doubts, results: view.gates(), recording, shape })
    const generator = { fleet: [], reasons: [], calibration: null }
    return {
      judgement,
      result: resultOf(
        identity,
        {
          judgement,
          explained: explain({ view, gates: plan.gates, reasons: [] }),
          setup: [],
          teardown: [],
          renewals: [],
          generator,
          baseline: null,
        },
        view,
      ),
    }
  }

  it('is judged by the median of each gate', () => {
    const { judgement, result } = judgeRepeated([runWith(100), runWith(400), runWith(200)])

    expect(judgement).toMatchObject({ verdict: 'open', exitCode: 0 })
    expect(result.gates[0]?.observed).toBeCloseTo(200, 0)
    expect(result.repeats?.map(({ verdict }) => verdict)).toEqual(['open', 'shut', 'open'])
    expect(judgeRepeated([runWith(400), runWith(100), runWith(500)]).judgement).toMatchObject({
      verdict: 'shut',
      reasons: ['breached: p50 response time under 300 ms (observed 400 ms)'],
    })
  })

  it('is judged by the median grade, in whatever order they came', () => {
    const graded = (ms: number) => runWith(ms, finished, 50, ['impact at most steady'])
    const statusOf = (...all: number[]) => judgeRepeated(all.map(graded)).result.gates[1]?.status

    expect([statusOf(400, 100, 400), statusOf(100, 400, 400)]).toEqual(['breached', 'breached'])
    expect([statusOf(100, 400, 100), statusOf(400, 100, 100)]).toEqual(['held', 'held'])
  })

  it('decides nothing where the load of one was not delivered, or a person stopped one', () => {
    expect(judgeRepeated([runWith(100), runWith(100, finished, 40), runWith(100)]).judgement.exitCode).toBe(3)
    // Its gates are undecided or unmeasured, too; that hides nothing.
    const noLoad = runWith(295, { kind: 'setup failed', reason: 'x', isTargets: false })
    noLoad.result.gates[0] = { ...noLoad.result.gates[0], status: 'unmeasured' } as (typeof noLoad.result.gates)[0]
    expect(judgeRepeated([runWith(100), noLoad, runWith(100)]).judgement.exitCode).toBe(3)
    const stopped = runWith(100, { kind: 'stopped', by: 'SIGINT' })
    expect(judgeRepeated([runWith(100), stopped, runWith(100)]).judgement.exitCode).toBe(4)
  })
})

describe('default gates', () => {
  const rulesOf = (gates: string[], scale = 1, journeys = ['a', 'b']) => {
    const text = `jolt: 1\nname: D\ntarget: http://127.0.0.1:1\njourneys:\n${journeys.map((name) => `  ${name}:\n    steps: [send: GET /${name}, { call: f.js#f }]\n`).join('')}load:\n  - { phase: warm, rate: 1/s, for: 5s, measure: no }\n  - { phase: peak, rate: 5/s, for: 10s }\n  - { phase: after, rate: 1/s, for: 10s }\n${gates.length === 0 ? '' : `gates:\n${gates.map((gate) => `  - '${gate}'\n`).join('')}`}`
    const { plan } = readPlan('d.gate.yaml', text, { files: () => 'export const f = () => 1' })
    return gatesOf(scalePlan(plan, scale)).flatMap(({ rule, isDefault }) => (isDefault ? [rule] : []))
  }

  it.each([
    ['no gate', [], ['failed requests at most 1 %', 'failed journeys at most 1 %']],
    [
      'a gate on times alone',
      ['p95 response time under 1s'],
      ['failed requests at most 1 %', 'failed journeys at most 1 %'],
    ],
    ['a gate on each', ['failed requests under 5 %', 'failed journeys at most 10'], []],
    [
      'a gate on one step',
      ['failed requests of "GET /a" under 5 %', 'failed journeys under 9 %'],
      ['failed requests of "GET /b" at most 1 %'],
    ],
    [
      'a gate on one journey',
      ['failed requests under 5 %', 'failed journeys in journey "b" under 9 %'],
      ['failed journeys in journey "a" at most 1 %'],
    ],
    ['gates of each step', ['failed requests of each step under 5 %', 'failed journeys under 9 %'], []],
    [
      'a limit of a baseline, which may be missing',
      ['failed requests at most 110 % of baseline', 'failed journeys under 9 %'],
      ['failed requests at most 1 %'],
    ],
    [
      'gates on one phase, which say nothing of the others',
      ['failed requests during peak under 5 %', 'failed journeys during peak, after under 9 %'],
      ['failed requests during "after" at most 1 %'],
    ],
    [
      'a gate on one step in one phase',
      ['failed requests of "GET /a" during peak under 5 %', 'failed journeys under 9 %'],
      ['failed requests of "GET /a" during "after" at most 1 %', 'failed requests of "GET /b" at most 1 %'],
    ],
    [
      'lower limits, which notice no failures',
      ['failed requests over 0 %', 'failed journeys at least 0 %'],
      ['failed requests at most 1 %', 'failed journeys at most 1 %'],
    ],
  ])('where the plan has %s', (_, gates, rules) => {
    expect(rulesOf(gates)).toEqual(rules)
  })

  it('where a run is scaled, and a count is not judged', () => {
    const counts = ['failed requests at most 5', 'failed journeys at most 5']

    expect(rulesOf(counts)).toEqual([])
    expect(rulesOf(counts, 0.5)).toEqual(['failed requests at most 1 %', 'failed journeys at most 1 %'])
  })

  it('names a step whatever is in its name', () => {
    const text =
      'jolt: 1\nname: D\ntarget: http://127.0.0.1:1\njourneys:\n  a:\n    steps:\n      - { send: GET /a, name: "two\\nlines" }\n      - { send: GET /b, name: b }\nload:\n  - { phase: peak, rate: 5/s, for: 10s }\ngates:\n  - failed requests of "b" under 5 %\n'
    const { plan } = readPlan('d.gate.yaml', text, { files: () => undefined })

    expect(gatesOf(plan).flatMap(({ of, isDefault }) => (isDefault && of.kind === 'names' ? of.names : []))).toEqual([
      'two\nlines',
    ])
  })
})

describe('reports', () => {
  const gates = ['p95 response time under 300 ms', 'failed requests at most 1 %', 'p99 response time under 1s']
  const { view, shape, recording } = runOf(gates, [{ ms: repeat(400, 60) }])
  const results = view.gates()
  const identity = {
    id: 'r1',
    tool: '0.1.0',
    plan: {
      name: 'A <plan> & "more" \u0001',
      file: 'p',
      commit: null,
      branch: null,
      dirty: false,
      seed: 1,
      scale: 1,
      load: 'x',
    },
    target: { name: 't', origin: 'http://127.0.0.1:1' },
    startedAt: '2026-06-01T08:00:00.000Z',
    endedAt: '2026-06-01T08:00:10.000Z',
  }
  const facts = {
    explained: explain({ view, gates: [], reasons: [] }),
    judgement: judge({ ending: finished, doubts: NO_DOUBTS, results, recording, shape }),
    setup: [],
    teardown: [],
    renewals: [],
    generator: { fleet: [], reasons: [], calibration: null },
    baseline: null,
  }
  const result = resultOf(identity, facts, view)

  // Schema: the widely used JUnit.xsd of the Ant task, written down from memory.
  it.each(['shut', 'void', 'stopped', 'open'] as const)(
    'JUnit XML of a run that is %s keeps to its common schema',
    async (verdict) => {
      const schema = readFileSync(new URL('./junit.xsd', import.meta.url), 'utf8')

      const { valid, errors } = await validateXML({
        xml: [{ fileName: 'junit.xml', contents: junitOf([{ ...result, verdict }]) }],
        schema: [schema],
      })

      expect(errors).toEqual([])
      expect(valid).toBe(true)
    },
  )

  it('JUnit XML and OTLP have what was measured from each place', () => {
    const [step] = result.steps
    const responseTime = step?.responseTime ?? null
    const places = ['north', 'south'].map((name) => ({
      name,
      requests: 4,
      failed: 1,
      failedShare: 0.25,
      throughput: 2,
      responseTime,
    }))
    expect(junitOf([{ ...result, places }])).toMatch(/name="place: south" value="4 requests, 25.0 % failed, p95 \d/)
    const metrics = otlpOf({ ...result, places }).flatMap(
      ({ resourceMetrics }) => resourceMetrics[0]?.scopeMetrics[0]?.metrics ?? [],
    )
    const ofPlaces = metrics.find(({ name }) => name === 'jolt_gate.place.response_time')
    const points = ofPlaces !== undefined && 'summary' in ofPlaces ? ofPlaces.summary.dataPoints : []
    expect(points.flatMap(({ attributes }) => attributes)).toEqual([
      { key: 'jolt_gate.place', value: { stringValue: 'north' } },
      { key: 'jolt_gate.place', value: { stringValue: 'south' } },
    ])
    const without = otlpOf(result).flatMap(({ resourceMetrics }) => resourceMetrics[0]?.scopeMetrics[0]?.metrics ?? [])
    expect(without.map(({ name }) => name)).not.toContain('jolt_gate.place.response_time')
  })

  it('JUnit XML has a failure for a breach, an error for the unmeasured, and a case of its own for a void run', () => {
    expect(junitOf([result])).toMatch(/tests="3" failures="1" errors="1"/)
    expect(junitOf([{ ...result, verdict: 'void', reasons: ['too busy'] }])).toMatch(
      /tests="4" failures="2" .*[^]*name="verdict: Void \(inconclusive\)"[^]*too busy/,
    )
  })

  it('say why requests failed, the most frequent cause first', () => {
    const failing = runOf(
      ['failed requests at most 1 %'],
      [
        { ms: [1], failed: 5 },
        { failed: 40, kind: 'timeout' },
      ],
    )
    const results = failing.view.gates()
    const { recording, shape } = failing
    const judgement = judge({ ending: finished, doubts: NO_DOUBTS, results, recording, shape })
    const failed = resultOf(identity, { ...facts, judgement }, failing.view)

    expect(markdownOf(failed)).toMatch(/Failures:\n- search: timeout 503, 40 times\n- search: status 503, 5 times\n/)
    expect(junitOf([failed])).toMatch(/<failure [^>]*type="breached"[^>]*>[^<]*\nsearch: timeout 503, 40 times/)
  })

  it('Markdown names the verdict, and no name can become markup', () => {
    expect(markdownOf(result)).toMatch(/^## Shut \(failed\): A \\<plan\\> & "more"/)
  })

  it('result.json holds its histograms, and no value that JSON lacks', () => {
    expect(result).toMatchObject({
      jolt: 1,
      verdict: 'shut',
      totals: { requests: 60, arrivals: 50 },
      series: { p50: [400] },
      histograms: [{ step: 'search', phase: 'peak' }],
    })
    expect(JSON.parse(JSON.stringify(result))).toEqual(result)
  })
})

describe('a limit that is tried on past runs', () => {
  const figures = [
    { rule: 'p95 response time of "search" under 300 ms', unit: 'ms', values: [120, null, 250, 310] },
    { rule: 'failed requests at most 1 %', unit: '%', values: [0, 2, null, 0.5] },
  ] as const

  it('is held to what they measured, whatever their own limit was', () => {
    expect(triedOnPast('p95 response time of "search" at most 200 ms', figures)).toEqual({
      kind: 'tried',
      measured: [0, 2, 3],
      breached: [2, 3],
    })
    expect(triedOnPast('failed requests under 0.5 %', figures)).toMatchObject({ measured: [0, 1, 3], breached: [1, 3] })
  })

  it('is not judged where no run has the figure, where each would have a limit of its own, or where it is none', () => {
    expect(triedOnPast('p99 response time of "search" under 1 s', figures)).toEqual({ kind: 'never measured' })
    expect(triedOnPast('failed requests at most 3', figures)).toEqual({ kind: 'never measured' })
    expect(triedOnPast('p95 response time of "search" at most 110 % of baseline', figures)).toEqual({
      kind: 'of a baseline',
    })
    expect(triedOnPast('soon', figures)).toBeUndefined()
  })
})
