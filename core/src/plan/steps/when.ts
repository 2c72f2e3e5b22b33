// `when`: steps under a condition, and else others.
import { readCheck } from '../assertions.js'
import { placeOf, readFields } from '../fields.js'
import type { WhenStep } from '../model.js'
import { NOT_TIMED, outlineLine, type StepKind } from './kind.js'
import { readInnerSteps } from './shared.js'

export const WHEN: StepKind<WhenStep> = {
  read(context, node, readInside) {
    const { source } = context
    const fields = readFields(source, node, 'this when step', 'when')
    const field = fields.get('when')
    const condition = field === undefined ? undefined : readCheck(context, field.value, { mayBeOnValue: true })
    const steps = readInnerSteps(context, node, fields.get('steps'), 'when', readInside)
    const otherwise = readInside(context, fields.get('else')?.value ?? null, 'else')
    return condition === undefined ? [] : [{ kind: 'when', condition, steps, otherwise, at: placeOf(source, node) }]
  },
  ...NOT_TIMED,
  inside: ({ steps, otherwise }) => [steps, otherwise],
  around: (step, change) => ({ ...step, steps: change(step.steps), otherwise: change(step.otherwise) }),
  visits: () => [1, 0],
  shares: () => [null, null],
  mostInside: ({ steps, otherwise }, most) => Math.max(most(steps), most(otherwise)),
  names({ condition, steps, otherwise }, scope) {
    scope.operands(condition)
    return [...scope.steps(steps), ...scope.steps(otherwise)]
  },
  outline: ({ condition, steps, otherwise, at }) => [
    outlineLine(at, { sort: 'turn', label: `when ${condition.name}`, steps }),
    ...(otherwise.length === 0 ? [] : [outlineLine(at, { sort: 'turn', label: 'else', steps: otherwise })]),
  ],
}
