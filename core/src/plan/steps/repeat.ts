// `repeat: 3`, until a check holds, or until the load ends.
import { isMap, isScalar } from 'yaml'
import { readSentence } from '../../language/sentences.js'
import { readCheck } from '../assertions.js'
import { readWord, type StepContext } from '../context.js'
import { offsetOf, placeOf, readFields, readWhole, type Field } from '../fields.js'
import type { RepeatStep, Until } from '../model.js'
import { writtenText } from '../source.js'
import { outlineLine, type StepKind } from './kind.js'
import { readInnerSteps } from './shared.js'

/** Rounds of a repeat at most; a plan is bounded in time, but one iteration should not be a run of its own. */
const MOST_REPEATS = 10_000

export const REPEAT: StepKind<RepeatStep> = {
  read(context, node, readInside) {
    const { source } = context
    const fields = readFields(source, node, 'this repeat step', 'repeat')
    const field = fields.get('repeat')
    const steps = readInnerSteps(context, node, fields.get('steps'), 'repeat', readInside)
    const common = { kind: 'repeat' as const, steps, at: placeOf(source, node) }
    if (field === undefined || !isMap(field.value)) {
      const times = readTimes(context, field, 'repeat')
      return times === undefined ? [] : [{ ...common, times, until: undefined }]
    }
    const inner = readFields(source, field.value, 'repeat', 'until')
    const until = readUntil(context, inner)
    if (until?.kind === 'load ends') {
      for (const name of ['at most', 'then']) {
        const beside = inner.get(name)
        if (beside !== undefined)
          source.report(offsetOf(beside.key), 'REPEAT', `a repeat until the load ends has no "${name}": remove it`)
      }
      return [{ ...common, times: Number.MAX_SAFE_INTEGER, until }]
    }
    const times = readTimes(context, inner.get('at most'), 'at most')
    if (!inner.has('at most'))
      source.report(offsetOf(field.value), 'REPEAT', 'repeat until needs a limit: add at most, such as at most: 20')
    if (until === undefined || times === undefined) return []
    return [{ ...common, times, until }]
  },
  inside: ({ steps }) => [steps],
  around: (step, change) => ({ ...step, steps: change(step.steps) }),
  // How long a load lasts, no step knows: one round stands for all of them.
  visits: ({ times, until }) => [until?.kind === 'load ends' ? 1 : times],
  shares: () => [1],
  mostInside: ({ times, steps }, most) => Math.min(times, MOST_REPEATS) * most(steps),
  timed: ({ until }) =>
    until?.kind === 'check' && until.unmet === 'fail'
      ? [{ name: until.name, isRequest: false, reach: 'not counted', checks: [], keeps: [] }]
      : [],
  names({ until, steps }, scope) {
    const after = scope.steps(steps)
    if (until?.kind === 'check') scope.with(after).operands(until.check)
    return after
  },
  outline({ times, until, steps, at }) {
    const label =
      until === undefined
        ? `repeat ${String(times)}`
        : until.kind === 'load ends'
          ? 'repeat until the load ends'
          : `${until.name}, at most ${String(times)}`
    return [outlineLine(at, { sort: 'turn', label, steps })]
  },
}

/** A number of rounds, within what one iteration may make. */
function readTimes({ source }: StepContext, field: Field | undefined, what: string): number | undefined {
  const times = readWhole(source, field, what, 0)
  if (times === undefined || field === undefined) return times
  if (times === 0)
    source.report(offsetOf(field.value), 'NUMBER', `${what} is 0: to leave the steps out, write off: yes`)
  if (times > MOST_REPEATS)
    source.report(
      offsetOf(field.value),
      'NUMBER',
      `${what} is at most ${String(MOST_REPEATS)}; for as long as the load lasts, write repeat: { until: load ends }`,
    )
  return times
}

function readUntil(context: StepContext, fields: ReadonlyMap<string, Field>): Until | undefined {
  const { source } = context
  const field = fields.get('until')
  if (field === undefined) return undefined
  if (isScalar(field.value) && readSentence('UntilOnly', writtenText(field.value)).ok) {
    if (!context.isOnce) return { kind: 'load ends' }
    source.report(offsetOf(field.value), 'REPEAT', 'setup and teardown are walked outside the load: give a number')
    return undefined
  }
  const check = readCheck(context, field.value, { mayBeOnValue: true })
  const unmet = readWord(source, fields.get('then'), 'then', ['continue']) ?? 'fail'
  if (check === undefined) return undefined
  const { onFailure } = context.defaults
  return { kind: 'check', name: `repeat until ${check.name}`, check, unmet, onFailure }
}
