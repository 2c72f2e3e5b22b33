// `pick`: one of several lists of steps, drawn by weight.
import { offsetOf, placeOf, readFields, readList, readWhole } from '../fields.js'
import type { PickStep } from '../model.js'
import { NOT_TIMED, outlineLine, type StepKind } from './kind.js'

export const PICK: StepKind<PickStep> = {
  read(context, node, readInside) {
    const { source } = context
    const field = readFields(source, node, 'this pick step', 'pick').get('pick')
    const options = readList(source, field?.value ?? null, 'pick').map((item) => {
      const fields = readFields(source, item, 'this option', 'option')
      return {
        weight: readWhole(source, fields.get('weight'), 'weight', 0) ?? 1,
        steps: readInside(context, fields.get('steps')?.value ?? null, 'steps'),
      }
    })
    if (options.every((option) => option.weight === 0))
      source.report(offsetOf(node), 'WEIGHTS', 'a pick needs an option with a weight above 0')
    return options.length === 0 ? [] : [{ kind: 'pick', options, at: placeOf(source, node) }]
  },
  ...NOT_TIMED,
  inside: ({ options }) => options.map(({ steps }) => steps),
  around: (step, change) => ({
    ...step,
    options: step.options.map((option) => ({ ...option, steps: change(option.steps) })),
  }),
  visits: sharesOf,
  shares: sharesOf,
  mostInside: ({ options }, most) => Math.max(0, ...options.map(({ steps }) => most(steps))),
  names: ({ options }, scope) => options.flatMap(({ steps }) => [...scope.steps(steps)]),
  outline: ({ options, at }) =>
    options.map(({ weight, steps }) =>
      outlineLine(at, { sort: 'turn', label: `One of ${String(options.length)}, weight ${String(weight)}`, steps }),
    ),
}

function sharesOf({ options }: PickStep): number[] {
  const weights = options.reduce((sum, { weight }) => sum + weight, 0)
  return options.map(({ weight }) => (weights === 0 ? 0 : weight / weights))
}
