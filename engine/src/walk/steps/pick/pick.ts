// One of several lists of steps, drawn by weight.
import { pickIndex, type PickStep } from '@jolt-gate/core'
import type { StepRunner } from '../kind.js'

export const PICK: StepRunner<PickStep, 'pick'> = {
  compile({ options }, program) {
    const weights = options.map(({ weight }) => weight)
    const targets: number[] = []
    program.push({ kind: 'pick', weights, targets, place: program.shared.nextPlace() })
    const jumps = options.map(({ steps }) => {
      targets.push(program.next)
      program.steps(steps)
      return program.push({ kind: 'jump' as const, to: 0 })
    })
    for (const jump of jumps) jump.to = program.next
  },
  run: {
    pick(walk, branch, { weights, targets, place }) {
      branch.next = targets[pickIndex(weights, walk.drawAt(branch.iteration, place))] ?? branch.next
      return true
    },
  },
}
