// Steps that are timed together.
import type { GroupStep } from '@jolt-gate/core'
import type { StepRunner } from '../kind.js'

export const GROUP: StepRunner<GroupStep, 'group' | 'group end'> = {
  compile({ name, steps }, program) {
    program.push({ kind: 'group', group: program.shared.shape.groups.indexOf(name) })
    program.steps(steps)
    program.push({ kind: 'group end' })
  },
  run: {
    group(_, branch, { group }, atMs) {
      branch.groups.push({ group, firstDueMs: -1, lastEndMs: atMs, waitedMs: 0, hasFailed: false })
      return true
    },
    'group end'(walk, branch) {
      const group = branch.groups.pop()
      if (group !== undefined) walk.endGroup(branch.iteration, group)
      return true
    },
  },
}
