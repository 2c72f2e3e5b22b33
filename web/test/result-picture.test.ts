// A run that has ended is seen from its result before its seconds are read: both pictures are the same.
import { describe, expect, it } from 'vitest'
import {
  limitLinesOf,
  emptyBucket,
  emptyStep,
  explain,
  gatesOf,
  judge,
  NO_DOUBTS,
  previewOf,
  readPlan,
  resultOf,
  RunView,
  shapeOf,
} from '@jolt-gate/core'
import { pictureOfResult } from '../src/run/result-picture.js'

const TEXT = `jolt: 1
name: P
target: http://127.0.0.1:1
journeys:
  a:
    steps:
      - { send: GET /, name: search }
load:
  - { phase: hold, rate: 20/s, for: 4s }
gates:
  - p95 response time under 300 ms
  - failed requests at most 10 %
`

describe('the picture of a result', () => {
  it('is that of its seconds', () => {
    const { plan } = readPlan('plans/p.gate.yaml', TEXT, { files: () => undefined })
    const shape = shapeOf(plan, previewOf(plan).phases)
    const gates = gatesOf(plan)
    const view = new RunView({ gates, shape })
    for (let second = 0; second < 4; second++) {
      const bucket = emptyBucket(second)
      const cell = { ...emptyStep(0, 0, 0, 0), requests: 20, failed: second }
      for (let n = second; n < 20; n++) cell.responseTime.record(1000 * (10 + n))
      bucket.steps.push(cell)
      const failure = { phase: 0, step: 0, kind: 'status', detail: '500', firstAtMs: second, sample: '' }
      if (second > 0) bucket.failures.push({ ...failure, count: second, kept: '', rows: [] })
      view.add({ kind: 'bucket', bucket })
    }
    view.add({ kind: 'end' })
    const ending = { kind: 'finished' } as const
    const judgement = judge({ ending, doubts: NO_DOUBTS, results: view.gates(), recording: view.recording, shape })
    const identity = {
      ...{ id: 'p', tool: 't', startedAt: '', endedAt: '', target: { name: 't', origin: 'http://127.0.0.1:1' } },
      plan: { name: 'P', file: 'p', commit: null, branch: null, dirty: false, seed: 1, scale: 1, load: 'x' },
    }
    const generator = { fleet: [], reasons: [], calibration: null }
    const explained = explain({ view, gates, reasons: [] })
    const facts = { judgement, explained, setup: [], teardown: [], renewals: [], generator, baseline: null }

    const picture = pictureOfResult({ plan, shape }, resultOf(identity, facts, view))

    expect(picture.steps).toEqual(view.steps())
    expect(picture.gates).toEqual(view.gates())
    expect([picture.journeys, picture.phases]).toEqual([view.journeys(), view.phases()])
    expect(picture.failures).toEqual([{ kind: 'status', counts: [0, 1, 2, 3], total: 6 }])
    expect([picture.requests, picture.failed, picture.seconds]).toEqual([[20, 20, 20, 20], [0, 1, 2, 3], 4])
    // What lies beyond a limit line is hatched once the seconds are read.
    expect(picture.limitLines.map(({ label, limit, isBreached }) => [label, limit, isBreached])).toEqual(
      limitLinesOf(gates, view).map(({ label, limit, isBreached }) => [label, limit, isBreached]),
    )
  })
})
