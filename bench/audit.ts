// The audit of the statistics: how often intervals, baselines and comparisons are wrong, by simulation. Seeded: it
// prints the same tables wherever it runs.
import {
  alarmOf,
  baselineOf,
  baselineValue,
  compareSides,
  Draws,
  gatesOf,
  impactOf,
  levelChanges,
  meanInterval,
  percentileInterval,
  readPlan,
  shareInterval,
  type BaselineRun,
  type Gate,
} from '@jolt-gate/core'
import { failedFigure, meanFigure, percentileFigure, shiftsOf } from '../core/src/compare/blocks.js'
import { holm } from '../core/src/numbers/statistics.js'
import {
  autoregressive,
  independent,
  inSeconds,
  queue,
  valuesOf,
  wandering,
  type Dependent,
} from '../core/test/dependent.js'
import { sideOf } from '../core/test/results.js'
import { judgedWithStalls, SERVICES, type Judged } from '../core/test/late.js'
import { HEALTHY, simulate } from '../core/test/simulated.js'

const ROUNDS = 300
const rounds = (count: number) => Array.from({ length: count }, (_, round) => round)
const drawsOf = (round: number) => new Draws(round + 1).at(7, 0, 0)
const percent = (share: number) => `${(100 * share).toFixed(1)} %`

function table(title: string, head: readonly string[], rows: readonly (readonly string[])[]): void {
  const line = (cells: readonly string[]) => `| ${cells.join(' | ')} |`
  const lines = [line(head), line(head.map((_, index) => (index === 0 ? '---' : '---:'))), ...rows.map(line)]
  process.stdout.write(`\n${title}\n\n${lines.join('\n')}\n`)
}

/** How often two-sided 95 % intervals hold the truth. */
function coverage(series: Dependent, count: number, perSecond: number): string[] {
  const held = { p50: 0, p95: 0, p99: 0, mean: 0, effective: 0 }
  for (const round of rounds(ROUNDS)) {
    const seconds = inSeconds(series.times(drawsOf(round), count), perSecond)
    const isIn = (low: number | null, high: number | null, ms: number) =>
      (low ?? 0) <= 1000 * ms && 1000 * ms <= (high ?? Infinity)
    for (const wanted of [50, 95, 99] as const) {
      const { low, high, effectiveSamples } = percentileInterval(valuesOf(seconds), wanted, 0.025)
      if (isIn(low, high, series.truth(wanted))) held[`p${wanted}`]++
      if (wanted === 95) held.effective += effectiveSamples / ROUNDS
    }
    const sums = seconds.map((one) => ({ part: one.sum, all: one.count }))
    const mean = meanInterval(sums, 0.025)
    if (isIn(mean.low, mean.high, series.mean)) held.mean++
  }
  const { p50, p95, p99, mean, effective } = held
  return [
    `${series.name}, ${String(count)} in ${String(count / perSecond)} s`,
    ...[p50, p95, p99, mean].map((one) => percent(one / ROUNDS)),
    String(Math.round(effective)),
  ]
}

function greenThoughOver(series: Dependent, count: number, perSecond: number): string[] {
  const limit = (1000 * series.truth(95)) / 1.2
  let [green, sure] = [0, 0]
  for (const round of rounds(ROUNDS)) {
    const seconds = inSeconds(series.times(drawsOf(round), count), perSecond)
    const values = valuesOf(seconds)
    const total = values.counts.reduce((sum, one) => sum + one, 0)
    if (values.valueAtRank(Math.ceil(0.95 * total)) < limit) green++
    if ((percentileInterval(values, 95, 0.05).high ?? Infinity) < limit) sure++
  }
  return [
    `p95 a fifth over its limit: ${series.name}, ${String(count)} samples`,
    percent(green / ROUNDS),
    percent(sure / ROUNDS),
  ]
}

function greenShares(samples: number): string[] {
  let [green, sure] = [0, 0]
  for (const round of rounds(2000)) {
    const draws = drawsOf(round)
    const seconds = rounds(50).map(() => {
      const all = samples / 50
      return { part: rounds(all).filter(() => draws.next() < 0.012).length, all }
    })
    if (seconds.reduce((sum, { part }) => sum + part, 0) <= 0.01 * samples) green++
    if ((shareInterval(seconds, 0.05).high ?? 1) < 0.01) sure++
  }
  return [`1.2 % failed, limit 1 %, ${String(samples)} samples`, percent(green / 2000), percent(sure / 2000)]
}

const RULE = 'p95 response time at most 110 % of baseline'
function gateAgainst(): Gate {
  const text = `jolt: 1\ntarget: http://127.0.0.1:1\njourneys:\n  a:\n    steps:\n      - send: GET /\nload:\n  - { phase: p, rate: 1/s, for: 60s }\ngates:\n  - ${RULE}\n`
  const [gate] = gatesOf(readPlan('plans/a.gate.yaml', text, { files: () => undefined }).plan)
  if (gate === undefined) throw new Error('the plan has no gate')
  return gate
}

function baselineRow(runs: number, spread: number): string[] {
  const gate = gateAgainst()
  const runOf = (observed: number, index: number): BaselineRun => ({
    ...{ id: String(index), verdict: 'open', commit: null, startedAt: '', target: { name: 'a', origin: '' } },
    ...{ scale: 1, load: 'x', gates: [{ rule: RULE, unit: 'ms', observed, status: 'held' }] },
  })
  const counts = rounds(2000).map((round) => {
    const draws = drawsOf(round)
    const figure = () => 250 * Math.exp(spread * draws.nextNormal())
    const baseline = baselineOf(rounds(runs).map((index) => runOf(figure(), index)))
    const value = baseline === undefined ? null : baselineValue(baseline, gate)
    const breached = (observed: number) => value !== null && observed > 1.1 * value.observed && observed > value.highest
    return { equal: breached(figure()), slower: breached(1.2 * figure()) }
  })
  const share = (is: (one: (typeof counts)[number]) => boolean) => percent(counts.filter(is).length / counts.length)
  return [
    `${String(runs)} runs that differ by ${percent(spread)}`,
    share(({ equal }) => equal),
    share(({ slower }) => slower),
  ]
}

const FIGURES = [meanFigure, percentileFigure(50), percentileFigure(95), percentileFigure(99), failedFigure]
function comparisonRow(memorySeconds: number, seconds: number): string[] {
  const finds = (factor: number, round: number) => {
    const draws = drawsOf(round)
    const [before, after] = [wandering(draws, memorySeconds, seconds), wandering(draws, memorySeconds, seconds, factor)]
    return holm(shiftsOf(before, after, FIGURES, 0.05, draws).map(({ p }) => p)).some((p) => p < 0.05)
  }
  const share = (factor: number) => percent(rounds(60).filter((round) => finds(factor, round)).length / 60)
  return [`memory of ${String(memorySeconds)} s, runs of ${String(seconds)} s`, share(1), share(1.5)]
}

function shiftRow(count: number, correlation: number): string[] {
  const share = (factor: number) => {
    const found = rounds(200).filter((round) => {
      const draws = drawsOf(round)
      let level = draws.nextNormal()
      const values = rounds(count).map((run) => {
        level = correlation * level + Math.sqrt(1 - correlation ** 2) * draws.nextNormal()
        return (run < count / 2 ? 1 : factor) * 210 * Math.exp(0.08 * level)
      })
      return levelChanges(values).length > 0
    })
    return percent(found.length / 200)
  }
  return [`${String(count)} runs, correlation ${String(correlation)}`, share(1), share(1.33)]
}

/** Runs whose times differ by a share of their level. */
function sidesRow(count: number, spread: number): string[] {
  const share = (level: number) => {
    const found = rounds(ROUNDS).filter((round) => {
      const draws = drawsOf(round)
      const comparison = compareSides(sideOf(draws, count, 1, spread), sideOf(draws, count, level, spread))
      return comparison.steps.some(({ changes }) =>
        changes.some(({ outcome }) => outcome === 'worse' || outcome === 'better'),
      )
    })
    return percent(found.length / ROUNDS)
  }
  return [`${String(count)} a side, that differ by ${percent(spread)}`, share(1), share(1.33)]
}

/** Looked at after each of a hundred runs, the last fifty at a time. */
function alarmRow(correlation: number): string[] {
  const raised = rounds(60).filter((round) => {
    const draws = drawsOf(round)
    let level = draws.nextNormal()
    const values = rounds(108).map(() => {
      level = correlation * level + Math.sqrt(1 - correlation ** 2) * draws.nextNormal()
      return 210 * Math.exp(0.08 * level)
    })
    return rounds(100).some((look) => alarmOf(values.slice(Math.max(0, look - 41), look + 9)) !== undefined)
  })
  return [`correlation ${String(correlation)}`, percent(raised.length / 60)]
}

function healthyRow(): string[][] {
  const peaked =
    '  - { phase: before, rate: 15/s, for: 60s }\n  - { phase: peak, rate: 75/s, for: 30s }\n  - { phase: after, rate: 15/s, for: 60s }'
  const impacts = rounds(100).map((round) => impactOf(simulate(peaked, HEALTHY, round).view, 300))
  const recovered = impacts.map(({ recovery }) => (recovery.kind === 'recovered' ? recovery.ms : Infinity))
  return [
    ['graded steady', percent(impacts.filter(({ grade }) => grade === 'steady').length / 100)],
    ['recovers at once', percent(recovered.filter((ms) => ms < 1000).length / 100)],
    ['recovers within 20 s', percent(recovered.filter((ms) => ms <= 20_000).length / 100)],
  ]
}

const LONG = [independent(), autoregressive(0.9), queue(0.5), queue(0.8), queue(0.95)]
table(
  '95 % intervals that hold the truth',
  ['series', 'p50', 'p95', 'p99', 'mean', 'effective samples at p95'],
  [
    ...LONG.map((series) => coverage(series, 10_000, 100)),
    ...LONG.slice(0, 4).map((series) => coverage(series, 3000, 10)),
  ],
)
table(
  'Truly over the limit, and held all the same',
  ['gate', 'held', 'held and not borderline'],
  [
    ...[independent(), queue(0.5), queue(0.8)].map((series) => greenThoughOver(series, 59, 1)),
    ...[independent(), queue(0.5), queue(0.8)].map((series) => greenThoughOver(series, 3000, 10)),
    greenShares(100),
    greenShares(1000),
  ],
)
table(
  'Gates at 110 % of a baseline that are breached',
  ['baseline', 'by equal code', 'by code a fifth slower'],
  [
    ...[0.03, 0.05, 0.1].map((spread) => baselineRow(10, spread)),
    ...[0.03, 0.05, 0.1].map((spread) => baselineRow(1, spread)),
  ],
)
table(
  'Comparisons of two runs that find a difference',
  ['service', 'of equal code', 'half as slow again'],
  [0.2, 2, 5, 20].flatMap((memory) => [120, 600].map((seconds) => comparisonRow(memory, seconds))),
)
table(
  'Comparisons of several runs a side that find a difference',
  ['runs', 'of equal code', 'a third slower'],
  [2, 3, 5].flatMap((count) => [0.03, 0.1].map((spread) => sidesRow(count, spread))),
)
table(
  'Series of runs that have a shift reported',
  ['runs', 'without any', 'a third slower from the middle on'],
  [26, 60].flatMap((count) => [0, 0.3, 0.5, 0.7].map((correlation) => shiftRow(count, correlation))),
)
table('Series of a hundred runs without a shift that have one told', ['runs', 'told'], [0, 0.3, 0.5, 0.7].map(alarmRow))
table('A service that nothing disturbs', ['', 'runs'], healthyRow())

/** Gates of a run whose generator stood still now and then; undecided counts where the limit is twice the truth. */
function lateRow([name, serviceOf]: (typeof SERVICES)[number], count: number, ms: number): string[] {
  const found = rounds(25).flatMap((round) => judgedWithStalls(serviceOf, { count, ms }, drawsOf(round)))
  const share = (of: (one: Judged) => boolean, among: (one: Judged) => boolean) => {
    const all = found.filter(among)
    return percent(all.filter(of).length / all.length)
  }
  return [
    `${name}, ${String(count)} of ${String(ms)} ms`,
    share(
      ({ status }) => status === 'held',
      ({ limit }) => limit < 1,
    ),
    share(
      ({ status }) => status === 'breached',
      ({ limit }) => limit === 1.05,
    ),
    share(
      ({ status }) => status === 'breached',
      ({ limit }) => limit > 1.05,
    ),
    share(
      ({ status }) => status === 'undecided',
      ({ limit }) => limit === 2,
    ),
  ]
}
table(
  'Gates of half a minute in which the generator stood still',
  [
    'service and stalls',
    'held, truly over',
    'breached, truly 5 % under',
    'breached with room',
    'undecided at twice the truth',
  ],
  SERVICES.flatMap((service) => [lateRow(service, 3, 50), lateRow(service, 3, 200), lateRow(service, 2, 500)]),
)
