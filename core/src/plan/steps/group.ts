// `group: sign in`: steps that are timed together as one.
import { placeOf, readFields, readText } from '../fields.js'
import type { GroupStep } from '../model.js'
import { NOT_TIMED, outlineLine, type StepKind } from './kind.js'
import { readInnerSteps } from './shared.js'

export const GROUP: StepKind<GroupStep> = {
  read(context, node, readInside) {
    const { source } = context
    const fields = readFields(source, node, 'this group', 'group')
    const name = readText(source, fields.get('group'), 'group')
    const steps = readInnerSteps(context, node, fields.get('steps'), `the group "${name ?? ''}"`, readInside)
    return name === undefined ? [] : [{ kind: 'group', name, steps, at: placeOf(source, node) }]
  },
  ...NOT_TIMED,
  inside: ({ steps }) => [steps],
  around: (step, change) => ({ ...step, steps: change(step.steps) }),
  visits: () => [1],
  shares: () => [1],
  mostInside: ({ steps }, most) => most(steps),
  names: ({ steps }, scope) => scope.steps(steps),
  outline: ({ name, steps, at }) => [outlineLine(at, { sort: 'group', label: name, steps })],
}
