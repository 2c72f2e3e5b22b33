// A statement to a database, in setup and teardown.
import { compileText, compileValue, Received, type Json, type SqlStep } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { Failure } from '../../assessor.js'
import { noteEnd } from '../../groups.js'
import { plainSample } from '../../listener.js'
import type { StepRunner } from '../kind.js'
import { runSql } from './run-sql.js'

export const SQL: StepRunner<SqlStep, 'sql'> = {
  compile(step, program) {
    const { lookup } = program.scope
    program.push({
      kind: 'sql',
      ...program.timed(step.name, { timeoutMs: step.timeoutMs, onFailure: 'end iteration' }),
      database: compileText(step.database, lookup),
      statement: step.statement,
      parameters: step.with.map((text) => compileValue(text, lookup)),
    })
  },
  run: {
    sql(walk, branch, operation, dueMs) {
      const { frame } = branch.iteration
      const startedMs = monotonicMs()
      const parameters: (Json | undefined)[] = operation.parameters.map((read) => read(frame))
      const database = operation.database(frame)
      void runSql(database, operation.statement, parameters, operation.timeoutMs, walk.options.out).then((outcome) => {
        const failure: Failure | null =
          outcome.kind === 'done' ? null : { kind: 'sql', detail: outcome.detail, isOnTime: false }
        const sample = plainSample(dueMs, startedMs, monotonicMs())
        noteEnd(branch, sample.endedMs, failure !== null)
        walk.listener.onEnded({
          iteration: branch.iteration,
          operation,
          sample,
          exchange: null,
          received: outcome.kind === 'done' ? Received.ofText(outcome.json) : null,
          failure,
          checks: [],
        })
        walk.goOn(branch, operation, { failure, continues: true }, sample.endedMs)
      })
      return false
    },
  },
}
