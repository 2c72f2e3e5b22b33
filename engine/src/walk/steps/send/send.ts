// A request.
import { compileRequest, readsBody, type Check, type SendStep } from '@jolt-gate/core'
import { beginGroups } from '../../groups.js'
import type { StepRunner } from '../kind.js'

export const SEND: StepRunner<SendStep, 'send'> = {
  compile(step, program) {
    const { shared, scope } = program
    const lookup = program.lookupWith(step.with)
    const request = compileRequest(step, shared.target.headers, scope.lookup, shared.tools.fileBytes)
    program.push({
      kind: 'send',
      ...program.timed(step.name, { ...step, lookup }),
      request,
      hasStatusCheck: step.checks.some(namesStatus),
      // A condition may look at the last response, whichever that is: then the bodies of all are read.
      needsBody:
        scope.looksAtBody ||
        readsBody([...step.checks.map(({ subject }) => subject), ...step.keeps.map(({ source }) => source)]),
      redirects: step.redirects,
      http: step.http,
      refreshMs: step.refreshMs,
    })
  },
  run: {
    send(walk, branch, operation, dueMs) {
      beginGroups(branch, dueMs)
      walk.requests.send(branch, operation, dueMs)
      return false
    },
  },
}

/** Whether a check says which statuses are right: one that only rules some out leaves the default for all else. */
const namesStatus = ({ subject, test }: Check): boolean =>
  subject.kind === 'status' && test.kind !== 'is not' && test.kind !== 'exists' && test.kind !== 'missing'
