// `parallel`: steps that begin at once.
import { placeOf, readFields } from '../fields.js'
import type { ParallelStep } from '../model.js'
import { NOT_TIMED, outlineLine, type StepKind } from './kind.js'
import { readInnerSteps } from './shared.js'

export const PARALLEL: StepKind<ParallelStep> = {
  read(context, node, readInside) {
    const fields = readFields(context.source, node, 'this parallel step', 'parallel')
    const steps = readInnerSteps(context, node, fields.get('parallel'), 'parallel', readInside)
    return [{ kind: 'parallel', steps, at: placeOf(context.source, node) }]
  },
  ...NOT_TIMED,
  inside: ({ steps }) => [steps],
  around: (step, change) => ({ ...step, steps: change(step.steps) }),
  visits: () => [1],
  shares: () => [1],
  mostInside: ({ steps }, most) => Math.max(0, ...steps.map((branch) => most([branch]))),
  names: ({ steps }, scope) => steps.flatMap((branch) => [...scope.step(branch)]),
  outline: ({ steps, at }) => [outlineLine(at, { sort: 'turn', label: 'parallel', steps })],
}
