// The load of a plan, its tracks and phases, from nodes to the model.
import { isMap, type Node } from 'yaml'
import { readWord } from './context.js'
import {
  offsetOf,
  placeOf,
  readFields,
  readList,
  readPhrase,
  readSwitch,
  readText,
  readWhole,
  type Field,
} from './fields.js'
import type { Load, Phase, Spacing } from './model.js'
import { errorsIn, type Source } from './source.js'

const MAX_SECONDS = 24 * 3600
const MOST_LEVELS = 1000
const MOST_PHASES = 1000

/** What the plan's top says of all its phases. */
export interface LoadFrame {
  spacing: Spacing
  cap: number | undefined
  mix: Load['mix']
  drainMs: number
}

export function readLoadFrame(source: Source, fields: Map<string, Field>): LoadFrame {
  const drain = fields.get('drain')
  return {
    spacing: readSpacing(source, fields.get('spacing')) ?? 'even',
    cap: readCap(source, fields.get('cap')),
    mix: readWord(source, fields.get('mix'), 'mix', ['exact', 'drawn']) ?? 'exact',
    drainMs: drain === undefined ? 30_000 : (readPhrase(source, drain.value, 'DurationOnly', 'drain') ?? 30_000),
  }
}

/** The phases of one track: the common one, or a journey's own. */
export function readTrack(source: Source, node: Node | null, track: string | null, frame: LoadFrame): Phase[] {
  const phases = readList(source, node, 'load').flatMap((item) => readPhase(source, item, track, frame))
  const iterations = phases.findIndex((phase) => phase.kind === 'iterations')
  const after = phases[iterations + 1]
  if (iterations >= 0 && after !== undefined)
    report(source, after, 'ITERATIONS', 'iterations must be the last phase of its track, since its end is not known')
  return phases
}

/** Names must tell phases apart; phases without a name are numbered. */
export function checkPhaseNames(source: Source, phases: readonly Phase[]): void {
  const beyond = phases[MOST_PHASES]
  if (beyond !== undefined) {
    const counted = `levels of ladders counted, and not ${String(phases.length)}`
    report(source, beyond, 'PHASES', `a plan has at most ${String(MOST_PHASES)} phases, ${counted}`)
  }
  const seen = new Map<string, Phase>()
  for (const phase of phases) {
    if (phase.name === '') {
      const word = phase.kind === 'rest' ? 'rest' : 'load'
      let number = 1
      phase.name = word
      while (seen.has(phase.name)) phase.name = `${word} ${String(++number)}`
    }
    const earlier = seen.get(phase.name)
    if (earlier !== undefined)
      report(
        source,
        phase,
        'SAME_NAME',
        `a phase called "${phase.name}" exists already on line ${String(earlier.at.line)}`,
      )
    seen.set(phase.name, phase)
    if (phase.ladder !== null && !seen.has(phase.ladder)) seen.set(phase.ladder, phase)
  }
}

function report(source: Source, phase: Phase, code: string, message: string): void {
  source.problems.push({ severity: 'error', code, message, ...phase.at })
}

function readSpacing(source: Source, field: Field | undefined): Spacing | undefined {
  return readWord(source, field, 'spacing', ['even', 'random'])
}

function readCap(source: Source, field: Field | undefined): number | undefined {
  if (field === undefined) return undefined
  const cap = readPhrase(source, field.value, 'UsersOnly', 'cap')
  if (cap !== undefined && cap < 1) source.report(offsetOf(field.value), 'CAP', 'a cap must be at least 1 user')
  return cap
}

type Common = Omit<Phase, 'kind'>

function readPhase(source: Source, node: Node, track: string | null, frame: LoadFrame): Phase[] {
  if (!isMap(node)) {
    source.report(offsetOf(node), 'PHASE', 'a phase must be a map such as { phase: peak, rate: 40/s, for: 3m }')
    return []
  }
  const before = errorsIn(source)
  const fields = readFields(source, node, 'this phase', 'phase')
  const kinds = ['rate', 'starts', 'rest', 'users'].filter((key) => fields.has(key))
  const [kind] = kinds
  if (kinds.length !== 1 || kind === undefined) {
    // A misspelt kind is reported already, with the word that is meant.
    if (kinds.length > 0 || errorsIn(source) === before)
      source.report(
        offsetOf(node),
        'PHASE',
        `a phase needs one of rate, starts, users or rest${kinds.length > 1 ? `, found ${kinds.join(' and ')}` : ''}`,
      )
    return []
  }
  refuseStrays(source, fields, kind)
  const seconds = readLength(source, node, fields)
  if (seconds === undefined) return []
  const common: Common = {
    name: readText(source, fields.get('phase'), 'phase') ?? '',
    seconds,
    measured: readSwitch(source, fields.get('measure'), 'measure') ?? true,
    track,
    ladder: null,
    spacing: readSpacing(source, fields.get('spacing')) ?? frame.spacing,
    cap: readCap(source, fields.get('cap')) ?? frame.cap,
    at: placeOf(source, node),
  }
  switch (kind) {
    case 'rest':
      return [{ ...common, kind }]
    case 'starts': {
      const starts = readWhole(source, fields.get('starts'), 'starts', 0)
      if (starts === 0) reportNobody(source, fields.get('starts'))
      return starts === undefined ? [] : [{ ...common, kind: 'batch', starts }]
    }
    case 'users':
      return readUsers(source, fields, common)
    default:
      return readRate(source, fields.get('rate'), common)
  }
}

function reportNobody(source: Source, field: Field | undefined): void {
  source.report(offsetOf(field?.value ?? null), 'USERS', 'no user would come: write rest: 30s for a pause')
}

/** Reports a drain of nothing where the load ends with users under way: each of them would be cut off. */
export function checkDrain(
  source: Source,
  field: Field | undefined,
  { drainMs }: LoadFrame,
  phases: readonly Phase[],
): void {
  if (drainMs > 0 || field === undefined) return
  const last = new Map(phases.map((phase) => [phase.track, phase]))
  if ([...last.values()].some(({ kind }) => kind !== 'rest'))
    source.report(
      offsetOf(field.value),
      'DRAIN',
      'with a drain of 0 requests that are under way when the load ends would be cut off: give them time, such as drain: 10s',
    )
}

/** Keys that only mean something beside another. */
function refuseStrays(source: Source, fields: Map<string, Field>, kind: string): void {
  for (const key of ['iterations', 'spread']) {
    const field = fields.get(key)
    if (field !== undefined && kind !== 'users')
      source.report(offsetOf(field.key), 'PHASE', `"${key}" belongs to a phase with users`)
  }
  const spacing = fields.get('spacing')
  if (spacing !== undefined && (kind === 'users' || kind === 'rest'))
    source.report(offsetOf(spacing.key), 'PHASE', 'spacing belongs to a phase with a rate or with starts')
}

function readLength(source: Source, node: Node, fields: Map<string, Field>): number | undefined {
  const field = fields.get('rest') ?? fields.get('for')
  if (field === undefined) {
    // Iterations end by themselves; a day is the bound of every phase.
    if (fields.has('iterations')) return MAX_SECONDS
    source.report(offsetOf(node), 'LENGTH', 'this phase has no length: add for, such as for: 30s')
    return undefined
  }
  const second = fields.has('rest') ? fields.get('for') : undefined
  if (second !== undefined) source.report(offsetOf(second.key), 'LENGTH', 'a rest has its own length: remove "for"')
  const ms = readPhrase(source, field.value, 'DurationOnly', fields.has('rest') ? 'rest' : 'for')
  if (ms === undefined) return undefined
  const seconds = ms / 1000
  if (seconds > 0 && seconds <= MAX_SECONDS) return seconds
  source.report(offsetOf(field.value), 'LENGTH', 'a phase must last more than 0 s and at most 24 h')
  return undefined
}

function readRate(source: Source, field: Field | undefined, common: Common): Phase[] {
  const rates = readPhrase(source, field?.value ?? null, 'RatesOnly', 'rate')
  if (rates === undefined || field === undefined) return []
  if (rates.by === null && rates.from === 0 && rates.to === 0) {
    source.report(offsetOf(field.value), 'RATE', 'a rate of 0 sends nothing: write rest: 30s for a pause')
    return []
  }
  if (rates.by === null)
    return rates.ramp
      ? [{ ...common, kind: 'ramp', from: rates.from, to: rates.to }]
      : [{ ...common, kind: 'constant', rate: rates.from }]
  return levelsOf(source, field, { ...rates, by: rates.by }, common, (rate) => `${String(rate)}/s`).map(
    ({ size, level }) => ({ ...level, kind: 'constant', rate: size }),
  )
}

function readUsers(source: Source, fields: Map<string, Field>, common: Common): Phase[] {
  const field = fields.get('users')
  const range = readPhrase(source, field?.value ?? null, 'UsersRange', 'users')
  if (range === undefined || field === undefined) return []
  if (range.from === 0 && range.to === 0) reportNobody(source, field)
  const spread = fields.get('spread')
  const spreadMs = spread === undefined ? 0 : (readPhrase(source, spread.value, 'DurationOnly', 'spread') ?? 0)
  const iterations = readWhole(source, fields.get('iterations'), 'iterations', 1)
  if (iterations !== undefined) {
    if (!range.ramp) return [{ ...common, kind: 'iterations', users: range.from, iterations }]
    source.report(offsetOf(field.value), 'ITERATIONS', 'iterations need a fixed number of users')
    return []
  }
  if (spreadMs / 1000 > common.seconds)
    source.report(offsetOf(spread?.value ?? null), 'SPREAD', 'spread is longer than the phase')
  const users = (from: number, to: number, phase: Common): Phase => ({
    ...phase,
    kind: 'users',
    from,
    to,
    spreadSeconds: spreadMs / 1000,
  })
  if (range.by === null) return [users(range.from, range.to, common)]
  return levelsOf(source, field, { ...range, by: range.by }, common, (level) => `${String(level)} users`).map(
    ({ size, level }) => users(size, size, level),
  )
}

/** Equal levels from one size to another, both included; each is a phase named after its size. */
function levelsOf(
  source: Source,
  field: Field,
  { from, to, by, ramp }: { from: number; to: number; by: number; ramp: boolean },
  common: Common,
  levelName: (level: number) => string,
): { size: number; level: Common }[] {
  const steps = by > 0 ? (to - from) / by : NaN
  const count = Math.round(Math.abs(steps))
  if (
    !ramp ||
    !Number.isFinite(steps) ||
    Math.abs(Math.abs(steps) - count) > 1e-9 ||
    count < 1 ||
    count >= MOST_LEVELS
  ) {
    source.report(
      offsetOf(field.value),
      'LADDER',
      `a ladder needs a whole number of steps of "by", such as 10/s to 100/s by 10/s, and fewer than ${String(MOST_LEVELS)} levels`,
    )
    return []
  }
  const ladder = common.name === '' ? 'ladder' : common.name
  return Array.from({ length: count + 1 }, (_, index) => {
    const size = Math.round((from + (to > from ? by : -by) * index) * 1e9) / 1e9
    const name = `${ladder} at ${levelName(size)}`
    return { size, level: { ...common, name, ladder, seconds: common.seconds / (count + 1) } }
  })
}
