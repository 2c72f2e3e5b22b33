// `preview`: what a plan would send, worked out before anything is sent.
import { growthWarning, parseJson, previewOf, scalePlan, type PhasePreview, type Preview } from '@jolt-gate/core'
import { readValidPlan } from './validate.js'
import { readGiven, readStored } from './compare.js'
import { EXIT } from './errors.js'
import type { Output, PreviewArguments } from './options.js'
import { writeReport } from './reports.js'
import { tableOf } from './tables.js'

export function preview(file: string, options: PreviewArguments, output: Output): number {
  const { reading } = readValidPlan(file, options)
  const rehearsed = options.last === undefined ? undefined : rehearsedTimes(options.last)
  const last = options.last === undefined || rehearsed !== undefined ? undefined : readStored(options.last)
  const times =
    rehearsed ??
    last?.journeys.flatMap(({ name, time }): [string, number][] => (time === null ? [] : [[name, time.mean]]))
  const load = previewOf(scalePlan(reading.plan, options.scale), new Map(times))
  if (options.json !== undefined) writeReport(options.json, `${JSON.stringify(load, null, 2)}\n`)
  if (options.json !== '-' && !output.quiet) {
    process.stdout.write(`${reading.plan.name}, against ${reading.target?.origin ?? ''}\n`)
    process.stdout.write(`${phaseTable(load, output)}\n`)
    if (load.tracks.length > 1) process.stdout.write(`\n${trackTable(load, output)}\n`)
    process.stdout.write(`${totalsOf(load)}\n`)
    if (load.samples.length > 0) process.stdout.write(`\n${sampleTable(load, output)}\n${DEPENDENT}\n`)
    if (load.repeats.length > 0) process.stdout.write(`\n${repeatTable(load, output)}\n${REPEATED}\n`)
  }
  const held =
    last?.verdict === 'open' ? [{ peakRate: peakOf(last), mostUsers: 0, seconds: last.measuredMs / 1000 }] : []
  const growth = last === undefined ? undefined : growthWarning(load, held)
  for (const warning of load.warnings)
    process.stderr.write(`${reading.plan.file}:${String(warning.line)}: warning: ${warning.message}\n`)
  if (growth !== undefined) process.stderr.write(`warning: ${growth}\n`)
  return EXIT.ok
}

/** The journey times of a rehearsal that was written as JSON; undefined when the file holds something else. */
function rehearsedTimes(file: string): [string, number][] | undefined {
  const json = parseJson(readGiven(file))
  if (json === undefined || json === null || typeof json !== 'object' || Array.isArray(json) || 'jolt' in json)
    return undefined
  const { journeys } = json
  if (!Array.isArray(journeys)) return undefined
  return journeys.flatMap((journey): [string, number][] => {
    if (journey === null || typeof journey !== 'object' || Array.isArray(journey)) return []
    const { name, timeMs } = journey
    return typeof name === 'string' && typeof timeMs === 'number' ? [[name, timeMs]] : []
  })
}

function phaseTable(load: Preview, output: Output): string {
  const hasTracks = load.tracks.length > 1
  const rows = load.phases.map((phase) => [
    phase.name,
    phase.kind,
    ...(hasTracks ? [phase.track ?? 'common'] : []),
    clock(phase.fromSeconds),
    phase.kind === 'iterations' && phase.toSeconds >= MOST_SECONDS ? '–' : clock(phase.toSeconds),
    levelOf(phase),
    Math.max(...phase.users) > 0 ? 'as they come' : String(phase.arrivals),
    phase.measured ? '' : 'not measured',
  ])
  const head = ['phase', 'kind', ...(hasTracks ? ['track'] : []), 'from', 'to', 'rate or users', 'arrivals', '']
  const first = hasTracks ? 3 : 2
  return tableOf(head, rows, [first, first + 1, first + 2, first + 3], output.color)
}

function trackTable(load: Preview, output: Output): string {
  const rows = load.tracks.map((track) => [
    track.name ?? 'common',
    clock(track.seconds),
    String(track.arrivals),
    `${rate(track.peakRate)}/s`,
    String(track.mostUsers),
  ])
  rows.push(['all', clock(load.seconds), String(load.arrivals), `${rate(load.peakRate)}/s`, String(load.mostUsers)])
  return tableOf(['track', 'length', 'arrivals', 'highest rate', 'users'], rows, [1, 2, 3, 4], output.color)
}

const DEPENDENT = 'Of samples that do not depend on one another; behind a queue it takes several times as many.'

function sampleTable({ samples }: Preview, output: Output): string {
  const rows = samples.map(({ rule, expected, least, within20, strict }) => [
    rule,
    expected === null ? 'as they come' : String(Math.floor(expected)),
    ...[least, within20, strict].map(String),
  ])
  return tableOf(
    ['samples of the gate', 'made', 'at least', 'for ±20 %', 'for strict'],
    rows,
    [1, 2, 3, 4],
    output.color,
  )
}

const REPEATED =
  'So many runs (--repeat) find a change by twice what the limit allows in nine of ten, against a baseline of ten runs.'

function repeatTable({ repeats }: Preview, output: Output): string {
  const words = (count: number | null) => (count === null ? 'over 15' : String(count))
  const rows = repeats.map(({ rule, at5Percent, at10Percent }) => [rule, words(at5Percent), words(at10Percent)])
  return tableOf(['runs for the gate', 'where runs differ by 5 %', 'by 10 %'], rows, [1, 2], output.color)
}

function levelOf({ rates, users }: PhasePreview): string {
  const [values, unit] = Math.max(...users) > 0 ? [users, ' users'] : [rates, '/s']
  const [from, to] = values
  return from === to ? `${rate(from)}${unit}` : `${rate(from)}${unit} to ${rate(to)}${unit}`
}

function totalsOf(load: Preview): string {
  const parts = [isLengthKnown(load) ? `length ${clock(load.seconds)}` : 'length unknown: iterations end by themselves']
  if (load.arrivals > 0)
    parts.push(
      `${String(load.arrivals)} arrivals`,
      `about ${String(Math.round(load.requests))} requests`,
      `at most ${rate(load.peakRequestRate)} requests/s`,
    )
  if (load.mostUsers > 0)
    parts.push(`at most ${String(load.mostUsers)} concurrent ${load.mostUsers === 1 ? 'user' : 'users'}`)
  if (load.usersInFlight !== null && load.usersInFlight > 0)
    parts.push(`about ${rate(load.usersInFlight)} users in flight at the highest rate (Little’s law)`)
  return parts.join(', ')
}

/** Iterations without a bound of their own are bounded by a day, which says nothing. */
const isLengthKnown = ({ phases, seconds }: Preview): boolean =>
  seconds < MOST_SECONDS || phases.every(({ kind }) => kind !== 'iterations')

const MOST_SECONDS = 86_400

/** The highest arrival rate that an earlier run reached, from its steps' throughput. */
function peakOf(result: { steps: { throughput: number }[] }): number {
  return Math.max(0, ...result.steps.map((step) => step.throughput))
}

export function clock(seconds: number): string {
  const whole = Math.round(seconds * 10) / 10
  const rest = whole % 60
  const minutes = Math.floor(whole / 60)
  if (minutes >= 60) return `${String(Math.floor(minutes / 60))}:${two(minutes % 60)}:${two(Math.round(rest))}`
  return `${String(minutes)}:${rest < 10 ? '0' : ''}${String(Math.round(rest * 10) / 10)}`
}

const two = (value: number) => String(value).padStart(2, '0')
const rate = (value: number) => String(Math.round(value * 100) / 100)
