// Results of short runs, as they are made and as they are read from their files.
import {
  Distribution,
  type Draws,
  emptyBucket,
  emptyScope,
  emptyStep,
  explain,
  judge,
  NO_DOUBTS,
  previewOf,
  readResult,
  resultOf,
  RunView,
  shapeOf,
  type RunResult,
} from '../src/index.js'
import { planText, read } from './reading.js'

/** Ten seconds of 100 requests of one step. */
export function resultWith(ms: (index: number) => number, failed = 0, name = 'Test'): RunResult {
  const { plan } = read(planText({ gates: '  - p95 response time under 300 ms\n  - failed requests at most 1 %' }))
  const shape = shapeOf(plan, previewOf(plan).phases)
  const view = new RunView({ gates: plan.gates, shape })
  for (let second = 0; second < 10; second++) {
    const bucket = emptyBucket(second)
    const times = new Distribution()
    for (let index = 0; index < 100 - failed; index++) times.record(1000 * ms(second * 100 + index))
    bucket.steps.push({
      ...emptyStep(0, 0, 0, 0),
      requests: 100,
      failed,
      responseTime: times,
    })
    bucket.journeys.push({
      ...emptyScope(0, 0, 0),
      ...{ started: 100, finished: 100 - failed, failed, byRequests: failed, time: times },
    })
    if (failed > 0)
      bucket.failures.push({
        phase: 0,
        step: 0,
        kind: 'status',
        detail: '503',
        count: failed,
        firstAtMs: 0,
        sample: '</script><b>',
        kept: '',
        rows: [],
      })
    view.add({ kind: 'bucket', bucket })
  }
  view.add({ kind: 'end' })
  const judgement = judge({
    ending: { kind: 'finished' },
    doubts: NO_DOUBTS,
    results: view.gates(),
    recording: view.recording,
    shape: view.shape,
  })
  const facts = {
    judgement,
    explained: explain({ view, gates: [], reasons: [] }),
    setup: [],
    teardown: [],
    renewals: [],
    generator: { fleet: [], reasons: [], calibration: null },
    baseline: null,
  }
  const identity = {
    id: 'r',
    tool: 't',
    plan: { name, file: 'p', commit: null, branch: null, dirty: false, seed: 1, scale: 1, load: 'l' },
    target: { name: 'harbour', origin: 'http://127.0.0.1:1' },
    startedAt: '2026-06-01T08:00:00.000Z',
    endedAt: '',
  }
  return resultOf(identity, facts, view)
}
export function stored(result: RunResult): RunResult {
  const reading = readResult(JSON.stringify(result))
  if (!reading.ok) throw new Error(reading.fault)
  return reading.result
}

export const BASE = stored(resultWith((index) => 100 + (index % 50)))

/** A run whose times are all so many times those of the first. */
export function runWith(factor: number, id: string, over: Partial<RunResult> = {}): RunResult {
  const scaled = (times: RunResult['steps'][number]['responseTime']) =>
    times === null
      ? null
      : {
          ...times,
          lowerBound: undefined,
          upperBound: undefined,
          mean: factor * times.mean,
          percentiles: {
            ...times.percentiles,
            ...{ 50: factor * times.percentiles[50], 95: factor * times.percentiles[95] },
            99: factor * times.percentiles[99],
          },
        }
  const steps = BASE.steps.map((step) => ({ ...step, responseTime: scaled(step.responseTime) }))
  return { ...BASE, id, steps, ...over }
}

/** A side of runs that differ by a share of their level. */
export const sideOf = (draws: Draws, count: number, level: number, spread: number): RunResult[] =>
  Array.from({ length: count }, (_, index) =>
    runWith(level * Math.exp(spread * draws.nextNormal()), `r${String(index)}`),
  )
