// `repeat: 3`, or until a check holds.
import { isMap } from 'yaml'
import { readCheck } from '../assertions.js'
import { offsetOf, placeOf, readFields, readWhole } from '../fields.js'
import type { RepeatStep } from '../model.js'
import { NOT_TIMED, outlineLine, type StepKind } from './kind.js'
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
      const times = readWhole(source, field, 'repeat', 0)
      return times === undefined ? [] : [{ ...common, times: Math.min(times, MOST_REPEATS), until: undefined }]
    }
    const inner = readFields(source, field.value, 'repeat', 'until')
    const check = inner.get('until')
    const until = check === undefined ? undefined : readCheck(context, check.value, true)
    const times = readWhole(source, inner.get('at most'), 'at most', 1)
    if (!inner.has('at most'))
      source.report(offsetOf(field.value), 'REPEAT', 'repeat until needs a limit: add at most, such as at most: 20')
    if (until === undefined || times === undefined) return []
    return [{ ...common, times: Math.min(times, MOST_REPEATS), until }]
  },
  ...NOT_TIMED,
  inside: ({ steps }) => [steps],
  around: (step, change) => ({ ...step, steps: change(step.steps) }),
  visits: ({ times }) => [times],
  mostInside: ({ times, steps }, most) => times * most(steps),
  names({ until, steps }, scope) {
    const after = scope.steps(steps)
    if (until !== undefined) scope.with(after).operands(until)
    return after
  },
  outline({ times, until, steps, at }) {
    const label =
      until === undefined ? `repeat ${String(times)}` : `repeat until ${until.name}, at most ${String(times)}`
    return [outlineLine(at, { sort: 'turn', label, steps })]
  },
}
