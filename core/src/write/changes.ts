// What changed between two versions of a plan, in the plan's own words.
import { isUpperLimit } from '../language/comparisons.js'
import type { Gate, Journey, Phase, Plan, Step } from '../plan/model.js'
import { phaseWords } from '../plan/phases.js'
import { allSteps } from '../plan/steps/walk.js'
import type { Limit } from '../language/sentences.js'

/** One change, and the line of the later version where it stands, if it still does. */
export interface PlanChange {
  words: string
  line: number | undefined
}

/**
 * Tells what changed, gates first, since they decide.
 *
 * @param before - the plan that was committed
 * @returns each change in words, with its line in the later plan
 */
export function planChanges(before: Plan, after: Plan): PlanChange[] {
  return [
    ...gateChanges(before.gates, after.gates),
    ...phaseChanges(before.load.phases, after.load.phases),
    ...journeyChanges(before, after),
    ...stepChanges('setup', before.setup, after.setup),
    ...stepChanges('teardown', before.teardown, after.teardown),
    ...named('value', before.values, after.values, ({ maker, lasts }) => JSON.stringify([maker, lasts])),
    ...named('data', before.data, after.data, ({ file, take, then }) => JSON.stringify([file, take, then])),
    ...words('target', before.target, after.target),
    ...words('name', before.name, after.name),
    ...words('places', placeWords(before), placeWords(after)),
    ...words('networks', networkWords(before), networkWords(after)),
    ...words('on loss', before.onLoss, after.onLoss),
    ...words('seed', String(before.seed), String(after.seed)),
    ...words('satisfied', msWords(before.satisfiedMs), msWords(after.satisfiedMs)),
    ...words('trace', traceWords(before), traceWords(after)),
    ...words('drain', `${String(before.load.drainMs / 1000)} s`, `${String(after.load.drainMs / 1000)} s`),
    ...words('cap', capWords(before), capWords(after)),
    ...words('connections', before.connections, after.connections),
  ]
}

const msWords = (ms: number | undefined) => (ms === undefined ? undefined : `${String(ms)} ms`)
/** Plans that were stored before there were traces say nothing of them. */
const traceWords = ({ trace = { kind: 'failed' } }: Partial<Pick<Plan, 'trace'>>) =>
  trace.kind === 'share' ? `${String(Number((100 * trace.share).toPrecision(6)))} %` : trace.kind
const placeWords = ({ places }: Plan) => places?.map(({ name, weight }) => `${name} ${String(weight)}`).join(', ')
const networkWords = ({ networks }: Plan) =>
  networks
    ?.map(({ name, weight, delayMs, jitterMs, downBits, upBits }) =>
      [name, weight, ...[delayMs, jitterMs].map((ms) => `${String(ms)} ms`), downBits ?? '–', upBits ?? '–'].join(' '),
    )
    .join(', ')
const capWords = ({ load }: Plan) => (load.cap === undefined ? undefined : `${String(load.cap)} users`)

function words(what: string, before: string | undefined, after: string | undefined): PlanChange[] {
  if (before === after) return []
  if (before === undefined) return [{ words: `${what} set to ${String(after)}`, line: undefined }]
  return [
    { words: after === undefined ? `${what} ${before} removed` : `${what} ${before} to ${after}`, line: undefined },
  ]
}

// ---------- gates

/** What a gate is about: all of it but its limit. */
const subjectOf = ({ measure, statistic, of, journey, place, network, during, comparison }: Gate) =>
  JSON.stringify([measure, statistic, of, journey, place, network, during, comparison])

function gateChanges(before: readonly Gate[], after: readonly Gate[]): PlanChange[] {
  const once = (gates: readonly Gate[]) => [...new Map(gates.map((gate) => [gate.written, gate])).values()]
  const [old, now] = [once(before), once(after)]
  const changed = now.flatMap((gate): PlanChange[] => {
    if (old.some((one) => one.written === gate.written && JSON.stringify(one.stop) === JSON.stringify(gate.stop)))
      return []
    const earlier = old.find((one) => subjectOf(one) === subjectOf(gate))
    if (earlier === undefined) return [{ words: `gate added: ${gate.written}`, line: gate.at.line }]
    if (earlier.written === gate.written)
      return [{ words: `gate "${gate.written}": stop rule changed`, line: gate.at.line }]
    return [{ words: `${limitChange(earlier, gate)}: ${gate.written}`, line: gate.at.line }]
  })
  const gone = old
    .filter((gate) => !now.some((one) => subjectOf(one) === subjectOf(gate)))
    .map((gate): PlanChange => ({ words: `gate removed: ${gate.written}`, line: undefined }))
  return [...changed, ...gone]
}

function limitChange(before: Gate, after: Gate): string {
  const [from, to] = [limitNumber(before.limit), limitNumber(after.limit)]
  const isUpper = isUpperLimit(after.comparison)
  const way =
    from === undefined || to === undefined || from === to ? 'changed' : to < from === isUpper ? 'tightened' : 'loosened'
  return `gate ${way} from ${limitOf(before)} to ${limitOf(after)}`
}

/** The limit of a gate as it is written. */
const limitOf = ({ written, spans }: Gate): string => written.slice(...spans.limit)

function limitNumber(limit: Limit): number | undefined {
  return limit.kind === 'fixed' ? limit.value : limit.share
}

// ---------- load

function phaseChanges(before: readonly Phase[], after: readonly Phase[]): PlanChange[] {
  return named('phase', before, after, wordsOf, (phase) => phase.at.line, true)
}

function wordsOf(phase: Phase): string {
  const length = phase.kind === 'iterations' ? '' : ` for ${String(Math.round(phase.seconds * 10) / 10)} s`
  return `${phaseWords(phase)}${length}${phase.measured ? '' : ', not measured'}${phase.spacing === 'random' ? ', random' : ''}`
}

// ---------- journeys and steps

function journeyChanges(before: Plan, after: Plan): PlanChange[] {
  const gone = before.journeys.filter(({ name }) => !after.journeys.some((one) => one.name === name))
  return [
    ...after.journeys.flatMap((journey): PlanChange[] => {
      const earlier = before.journeys.find(({ name }) => name === journey.name)
      if (earlier === undefined) return [{ words: `journey added: ${journey.name}`, line: journey.at.line }]
      return [...weightChange(earlier, journey), ...stepChanges(`"${journey.name}"`, earlier.steps, journey.steps)]
    }),
    ...gone.map(({ name }): PlanChange => ({ words: `journey removed: ${name}`, line: undefined })),
  ]
}

function weightChange(before: Journey, after: Journey): PlanChange[] {
  if (before.weight === after.weight) return []
  return [{ words: `weight of ${after.name} ${String(before.weight)} to ${String(after.weight)}`, line: after.at.line }]
}

type NamedStep = Exclude<Step, { kind: 'wait' | 'parallel' | 'repeat' | 'when' | 'pick' }>

function stepChanges(where: string, before: readonly Step[], after: readonly Step[]): PlanChange[] {
  const namedOf = (steps: readonly Step[]) => [...allSteps(steps)].filter((step): step is NamedStep => 'name' in step)
  const [old, now] = [namedOf(before), namedOf(after)]
  const changes = named(`step of ${where}`, old, now, stepText, (step) => step.at.line)
  const order = (steps: readonly NamedStep[], among: readonly NamedStep[]) =>
    steps
      .filter(({ name }) => among.some((one) => one.name === name))
      .map(({ name }) => name)
      .join('\n')
  const waits = (steps: readonly Step[]) =>
    JSON.stringify([...allSteps(steps)].flatMap((step) => (step.kind === 'wait' ? [step.wait] : [])))
  if (order(old, now) !== order(now, old))
    changes.push({ words: `steps of ${where} in another order`, line: now[0]?.at.line })
  if (waits(before) !== waits(after)) changes.push({ words: `waits of ${where} changed`, line: now[0]?.at.line })
  return changes
}

/** Everything of a step but where it stands, and the steps inside it. */
function stepText(step: NamedStep): string {
  return JSON.stringify(step, (key, value: unknown) =>
    key === 'at' || key === 'steps' || key === 'script' ? undefined : value,
  )
}

/** Things with names: added, removed, changed; with `isTold`, how they changed, too. */
function named<T extends { name: string }>(
  what: string,
  before: readonly T[],
  after: readonly T[],
  text: (one: T) => string,
  lineOf: (one: T) => number | undefined = () => undefined,
  isTold = false,
): PlanChange[] {
  const changes: PlanChange[] = []
  for (const one of after) {
    const earlier = before.find(({ name }) => name === one.name)
    if (earlier === undefined) changes.push({ words: `${what} added: ${one.name}`, line: lineOf(one) })
    else if (text(earlier) !== text(one))
      changes.push({
        words: isTold ? `${what} ${one.name}: ${text(earlier)} to ${text(one)}` : `${what} changed: ${one.name}`,
        line: lineOf(one),
      })
  }
  for (const one of before)
    if (!after.some(({ name }) => name === one.name))
      changes.push({ words: `${what} removed: ${one.name}`, line: undefined })
  return changes
}
