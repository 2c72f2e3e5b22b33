// Phases and seconds of a run, as results show them.
import { pool, type Recording } from '../measure/recording.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { passedWithin, sum } from '../judge/scope.js'
import { round, share, summaryOf } from './summaries.js'

export function phaseSummaries(recording: Recording, shape: RunShape) {
  const ranges = phaseRanges(shape)
  return shape.phases.map((phase, index) => {
    const isPhase = (other: number) => other === index
    const range = ranges[index] ?? { fromMs: 0, toMs: 0 }
    const seconds = recording.seconds.slice(Math.floor(range.fromMs / 1000), Math.ceil(range.toMs / 1000))
    return {
      name: phase.name,
      kind: phase.kind,
      track: phase.track,
      ...range,
      measured: phase.measured,
      arrivalsDue: phase.arrivalsDue,
      arrivalsStarted: recording.arrivals.get(index)?.started ?? 0,
      capped: recording.arrivals.get(index)?.capped ?? 0,
      peakUsers: seconds.reduce((most, row) => Math.max(most, row.users), 0),
      throughput: share(passedWithin(recording.steps.values(), { isPhase, isStep: () => true }), phase.seconds),
      steps: shape.steps.flatMap((named, step) => {
        const cells = [...recording.stepCells(isPhase, (other) => other === step)]
        if (cells.length === 0) return []
        return [
          {
            name: named.name,
            requests: sum(cells, (cell) => cell.requests),
            failed: sum(cells, (cell) => cell.failed),
            responseTime: summaryOf(pool(cells.map((cell) => cell.responseTime))),
          },
        ]
      }),
    }
  })
}

export function seriesOf(recording: Recording, shape: RunShape) {
  const rows = recording.seconds
  const ofTimes = (percent: number) =>
    rows.map((row) => (row.responseTime.count === 0 ? null : round(row.responseTime.percentile(percent) / 1000)))
  return {
    stepMs: 1000 as const,
    atMs: rows.map((_, second) => second * 1000),
    arrivalsDue: dueBySecond(shape, rows.length),
    arrivals: rows.map((row) => row.started),
    users: rows.map((row) => row.users),
    requests: rows.map((row) => row.requests),
    failed: rows.map((row) => row.failed),
    p50: ofTimes(50),
    p95: ofTimes(95),
    p99: ofTimes(99),
    startLag: rows.map((row) => (row.startLag.count === 0 ? null : round(row.startLag.percentile(99) / 1000))),
    busy: rows.map((row) => round(row.busy)),
    metrics: Object.fromEntries(
      shape.metrics.map(({ name }, index) => [name, rows.map((row) => row.metrics[index] ?? null)]),
    ),
  }
}

/** Arrivals that the rates make due in each second, from the rates of the phases. */
export function dueBySecond(shape: RunShape, seconds: number): number[] {
  const due = new Array<number>(seconds).fill(0)
  const ranges = phaseRanges(shape)
  for (const [index, phase] of shape.phases.entries()) {
    const { fromMs, toMs } = ranges[index] ?? { fromMs: 0, toMs: 0 }
    const [from, to] = phase.rates
    const rateOf = (ms: number) => from + ((to - from) * (ms - fromMs)) / Math.max(1, toMs - fromMs)
    for (let second = Math.floor(fromMs / 1000); second < Math.min(seconds, Math.ceil(toMs / 1000)); second++) {
      const begin = Math.max(fromMs, second * 1000)
      const end = Math.min(toMs, (second + 1) * 1000)
      due[second] = round((due[second] ?? 0) + (rateOf((begin + end) / 2) * (end - begin)) / 1000)
    }
  }
  return due
}
