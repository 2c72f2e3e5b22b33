// A call of a function of the repository, in its sandbox.
import { compileJson, Received, type CallStep } from '@jolt-gate/core'
import { placeOf } from '../../iteration.js'
import type { StepRunner } from '../kind.js'
import type { ScriptDraws } from './script-thread.js'

export const CALL: StepRunner<CallStep, 'call'> = {
  compile(step, program) {
    program.push({
      kind: 'call',
      ...program.timed(step.name, step),
      call: { file: step.file, script: step.script, name: step.export },
      argument: compileJson({ kind: 'object', fields: step.with }, program.scope.lookup),
    })
  },
  run: {
    /** The call has ended before this returns. */
    call(walk, branch, operation) {
      const { iteration } = branch
      const { user, number } = iteration
      walk.listener.onCalled(iteration, operation)
      const draws: ScriptDraws = [walk.options.seed, user, number, placeOf(iteration, operation.place)]
      const outcome = walk.scripts.call(operation.call, operation.argument(iteration.frame), draws)
      if (outcome.kind === 'returned') {
        const { failure, continues } = walk.assessor.keepAll(iteration, operation, Received.ofText(outcome.json))
        if (failure !== null) walk.failStep(branch, operation, failure, continues)
        return true
      }
      const continues = walk.assessor.keepNothing(iteration, operation)
      walk.failStep(branch, operation, { kind: 'script', detail: outcome.detail, isOnTime: false }, continues)
      return true
    },
  },
}
