// Steps that are done at once.
import type { ParallelStep } from '@jolt-gate/core'
import type { StepRunner } from '../kind.js'

export const PARALLEL: StepRunner<ParallelStep, 'parallel'> = {
  compile({ steps }, program) {
    const branches: { from: number; to: number }[] = []
    const operation = program.push({ kind: 'parallel' as const, branches, next: 0 })
    for (const step of steps) {
      const from = program.next
      program.steps([step])
      branches.push({ from, to: program.next })
    }
    operation.next = program.next
  },
  run: {
    parallel(walk, branch, { branches, next }, atMs) {
      branch.next = next
      return walk.fork(branch, branches, atMs)
    },
  },
}
