// Conditions on the last response, which decide the way that an iteration takes.
import type { Condition } from '../../compile/program.js'
import { NOTHING, type Failure } from '../assessor.js'
import { noteFailure } from '../groups.js'
import type { Branch } from '../iteration.js'
import type { Walk } from './kind.js'

/**
 * Whether a condition holds. One that cannot be evaluated neither holds nor does not: the step whose answer it looks at
 * has failed, unless there was no answer, which has failed it already.
 */
export function whetherHolds(walk: Walk, branch: Branch, { verify, name }: Condition): boolean | undefined {
  const { iteration } = branch
  const { last, lastOperation } = iteration
  const holds = walk.assessor.holds(verify, last ?? NOTHING, iteration.frame)
  const { fault } = walk.assessor
  if (fault === '') return holds
  if (lastOperation === null) {
    noteFailure(branch, iteration.lastEndMs, 'local')
    walk.listener.onLocalFault(`${name}: ${fault}`)
  } else if (last !== NOTHING) {
    const failure: Failure = { kind: 'check', detail: `${name}: ${fault}`, isOnTime: false }
    walk.failStep(branch, lastOperation, failure, true)
  }
  return undefined
}
