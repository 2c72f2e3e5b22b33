// A result as OTLP metrics in JSON: what `POST /v1/metrics` of a collector takes.
//
// Source: OpenTelemetry Protocol 1.x, "OTLP/HTTP" and its JSON mapping: field names in lowerCamelCase, 64-bit integers
// as decimal strings. Names of attributes follow the semantic conventions where they have one.
import type { RunResult } from '../judge/result-schema.js'

interface Attribute {
  key: string
  value: { stringValue: string }
}
interface NumberPoint {
  timeUnixNano: string
  asDouble: number
  attributes?: Attribute[]
}
interface SummaryPoint {
  startTimeUnixNano: string
  timeUnixNano: string
  count: string
  sum: number
  quantileValues: { quantile: number; value: number }[]
  attributes: Attribute[]
}
type Metric = { name: string; description: string; unit: string } & (
  { gauge: { dataPoints: NumberPoint[] } } | { summary: { dataPoints: SummaryPoint[] } }
)
/** The body of an export of metrics. */
export interface OtlpMetrics {
  resourceMetrics: {
    resource: { attributes: Attribute[] }
    scopeMetrics: { scope: { name: string; version: string }; metrics: Metric[] }[]
  }[]
}

/** Seconds in one export: a collector bounds what it takes at once. */
const SECONDS_AT_ONCE = 1800

/**
 * Series second by second, response times of steps over the measured phases, gates and the verdict at the end; as one
 * export or, of a long run, several.
 */
export function otlpOf(result: RunResult): OtlpMetrics[] {
  const resource = { attributes: resourceOf(result) }
  const scope = { name: 'jolt-gate', version: result.tool }
  const blocks = Math.ceil(result.series.atMs.length / SECONDS_AT_ONCE)
  const series = Array.from({ length: blocks }, (_, block) => seriesOf(result, block * SECONDS_AT_ONCE))
  const last = [...(series.pop() ?? []), ...stepsOf(result), ...gatesOf(result), verdictOf(result)]
  return [...series, last].map((metrics) => ({
    resourceMetrics: [{ resource, scopeMetrics: [{ scope, metrics: metrics.filter(hasPoints) }] }],
  }))
}

/** What is the same for every figure of a run. */
function resourceOf({ id, plan, target, change, labels = {} }: RunResult): Attribute[] {
  const { commit, branch } = change ?? plan
  return [
    attribute('service.name', 'jolt-gate'),
    attribute('jolt_gate.run.id', id),
    attribute('jolt_gate.plan.name', plan.name),
    attribute('jolt_gate.plan.file', plan.file),
    attribute('jolt_gate.target.name', target.name),
    attribute('server.address', target.origin),
    ...(commit === null ? [] : [attribute('vcs.ref.head.revision', commit)]),
    ...(branch === null ? [] : [attribute('vcs.ref.head.name', branch)]),
    ...Object.entries(labels).map(([name, value]) => attribute(`jolt_gate.label.${name}`, value)),
  ]
}

function seriesOf({ series, startedAt }: RunResult, from: number): Metric[] {
  const startMs = Date.parse(startedAt)
  const points = (values: readonly (number | null)[], ...attributes: Attribute[]): NumberPoint[] =>
    values.slice(from, from + SECONDS_AT_ONCE).flatMap((value, index) => {
      const atMs = series.atMs[from + index]
      if (value === null || atMs === undefined) return []
      const of = attributes.length === 0 ? {} : { attributes }
      return [{ timeUnixNano: nanosOf(startMs + atMs), asDouble: value, ...of }]
    })
  const gauge = (name: string, unit: string, description: string, ...dataPoints: NumberPoint[][]): Metric => ({
    ...{ name: `jolt_gate.${name}`, description, unit },
    gauge: { dataPoints: dataPoints.flat() },
  })
  const quantile = (of: string) => attribute('jolt_gate.quantile', of)
  return [
    gauge('arrivals.due', '{arrival}/s', 'Arrivals that were due', points(series.arrivalsDue)),
    gauge('arrivals.started', '{arrival}/s', 'Arrivals that started', points(series.arrivals)),
    gauge('users', '{user}', 'Virtual users in flight', points(series.users)),
    gauge('requests', '{request}/s', 'Requests that ended', points(series.requests)),
    gauge('requests.failed', '{request}/s', 'Requests that failed', points(series.failed)),
    gauge(
      ...(['response_time', 'ms', 'From the moment a request was due to the last byte of its response'] as const),
      points(series.p50, quantile('0.5')),
      points(series.p95, quantile('0.95')),
      points(series.p99, quantile('0.99')),
    ),
    gauge('start_lag', 'ms', 'How late arrivals started, 99th percentile', points(series.startLag)),
    gauge(
      ...(['target.metric', '1', 'Metrics of the target, in their own units'] as const),
      ...Object.entries(series.metrics).map(([name, values]) => points(values, attribute('jolt_gate.metric', name))),
    ),
  ]
}

function stepsOf({ steps, places = [], networks = [], startedAt, endedAt }: RunResult): Metric[] {
  const pointsOf = (of: 'step' | 'place' | 'network', parts: RunResult['steps'] | NonNullable<RunResult['places']>) =>
    parts.flatMap(({ name, responseTime }): SummaryPoint[] => {
      if (responseTime === null) return []
      const { count, mean, percentiles } = responseTime
      return [
        {
          ...{ startTimeUnixNano: nanosOf(Date.parse(startedAt)), timeUnixNano: nanosOf(Date.parse(endedAt)) },
          ...{ count: String(count), sum: mean * count },
          quantileValues: Object.entries(percentiles)
            .map(([percent, value]) => ({ quantile: Number((Number(percent) / 100).toFixed(6)), value }))
            .toSorted((one, other) => one.quantile - other.quantile),
          attributes: [attribute(`jolt_gate.${of}`, name)],
        },
      ]
    })
  return [
    {
      ...{ name: 'jolt_gate.step.response_time', unit: 'ms' },
      description: 'Response times of a step over the measured phases',
      summary: { dataPoints: pointsOf('step', steps) },
    },
    {
      ...{ name: 'jolt_gate.place.response_time', unit: 'ms' },
      description: 'Response times from a place over the measured phases',
      summary: { dataPoints: pointsOf('place', places) },
    },
    {
      ...{ name: 'jolt_gate.network.response_time', unit: 'ms' },
      description: 'Response times over a network over the measured phases',
      summary: { dataPoints: pointsOf('network', networks) },
    },
  ]
}

/** A gate's own unit stands beside it: gates of one run have several. */
function gatesOf({ gates, endedAt }: RunResult): Metric[] {
  const timeUnixNano = nanosOf(Date.parse(endedAt))
  const points = (of: 'observed' | 'limit') =>
    gates.flatMap((gate): NumberPoint[] => {
      const value = gate[of]
      if (value === null) return []
      const attributes = [
        attribute('jolt_gate.gate', gate.rule),
        attribute('jolt_gate.gate.status', gate.status),
        attribute('jolt_gate.gate.unit', gate.unit),
      ]
      return [{ timeUnixNano, asDouble: value, attributes }]
    })
  return [
    {
      ...{ name: 'jolt_gate.gate.observed', unit: '1', description: 'What a gate observed' },
      gauge: { dataPoints: points('observed') },
    },
    {
      ...{ name: 'jolt_gate.gate.limit', unit: '1', description: 'The limit of a gate' },
      gauge: { dataPoints: points('limit') },
    },
  ]
}

function verdictOf({ verdict, endedAt }: RunResult): Metric {
  return {
    ...{ name: 'jolt_gate.run.open', unit: '1', description: '1 when the verdict is open, else 0' },
    gauge: {
      dataPoints: [
        {
          timeUnixNano: nanosOf(Date.parse(endedAt)),
          asDouble: verdict === 'open' ? 1 : 0,
          attributes: [attribute('jolt_gate.verdict', verdict)],
        },
      ],
    },
  }
}

const attribute = (key: string, stringValue: string): Attribute => ({ key, value: { stringValue } })
const hasPoints = (metric: Metric): boolean =>
  ('gauge' in metric ? metric.gauge.dataPoints : metric.summary.dataPoints).length > 0

/** Nanoseconds since 1970, which no number of JavaScript holds exactly. */
const nanosOf = (ms: number): string => String(BigInt(Math.round(ms * 1000)) * 1000n)
