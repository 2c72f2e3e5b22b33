// One way or another, by what the last response was.
import type { WhenStep } from '@jolt-gate/core'
import { whetherHolds } from '../conditions.js'
import type { StepRunner } from '../kind.js'

export const WHEN: StepRunner<WhenStep, 'when' | 'jump'> = {
  compile(step, program) {
    const test = program.push({
      kind: 'when' as const,
      condition: program.condition(step.condition),
      otherwise: 0,
      after: 0,
    })
    program.steps(step.steps)
    const jump = program.push({ kind: 'jump' as const, to: 0 })
    test.otherwise = program.next
    program.steps(step.otherwise)
    jump.to = test.after = program.next
  },
  run: {
    when(walk, branch, { condition, otherwise, after }) {
      const holds = whetherHolds(walk, branch, condition)
      if (holds !== true) branch.next = holds === false ? otherwise : after
      return true
    },
    jump(_, branch, { to }) {
      branch.next = to
      return true
    },
  },
}
