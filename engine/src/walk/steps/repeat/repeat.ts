// Steps again and again: so many rounds, until something holds, or until the load ends.
import type { RepeatStep } from '@jolt-gate/core'
import { monotonicMs } from '../../../clock/clock.js'
import type { Condition } from '../../../compile/program.js'
import { NOTHING } from '../../assessor.js'
import type { Branch } from '../../iteration.js'
import { whetherHolds } from '../conditions.js'
import type { StepRunner, Walk } from '../kind.js'

export const REPEAT: StepRunner<RepeatStep, 'repeat begin' | 'repeat test' | 'repeat next' | 'until unmet'> = {
  compile({ times, until: given, steps }, program) {
    const { shared } = program
    const counter = shared.names.slotOf(`rounds ${String(shared.nextPlace())}`)
    program.push({ kind: 'repeat begin', counter })
    const begin = program.next
    const test = program.push({ kind: 'repeat test' as const, counter, times, end: 0 })
    const wasUntilLoadEnds = program.isUntilLoadEnds
    program.isUntilLoadEnds ||= given?.kind === 'load ends'
    program.steps(steps)
    program.isUntilLoadEnds = wasUntilLoadEnds
    const until = given?.kind === 'check' ? program.condition(given.check) : given?.kind
    const next = program.push({ kind: 'repeat next' as const, counter, until, begin, end: 0 })
    test.end = program.next
    if (given?.kind === 'check' && given.unmet === 'fail')
      program.push({ kind: 'until unmet', ...program.timed(given.name, given), rounds: times })
    next.end = program.next
  },
  run: {
    'repeat begin'(_, { iteration }, { counter }) {
      iteration.frame[counter] = 0
      return true
    },
    'repeat test'(_, branch, { counter, times, end }) {
      if (Number(branch.iteration.frame[counter]) >= times) branch.next = end
      return true
    },
    'repeat next'(walk, branch, { counter, until, begin, end }, atMs) {
      const { iteration } = branch
      iteration.frame[counter] = Number(iteration.frame[counter]) + 1
      iteration.rounds++
      const isOver = isDone(walk, branch, until, atMs)
      branch.next = isOver ? end : begin
      // A round that took no time is followed by the next in a turn of its own.
      if (!isOver && until === 'load ends' && atMs === iteration.roundEndMs) {
        walk.waitUntil(branch, monotonicMs())
        return false
      }
      iteration.roundEndMs = atMs
      return true
    },
    'until unmet'(walk, branch, operation) {
      const detail = `not true after ${String(operation.rounds)} rounds`
      walk.failStep(branch, operation, { kind: 'until', detail, isOnTime: false }, true)
      return true
    },
  },
}

/** Whether a repeat is over after a round; an answer that cannot be read has not come true yet. */
function isDone(walk: Walk, branch: Branch, until: Condition | 'load ends' | undefined, atMs: number): boolean {
  if (until === undefined) return false
  if (until === 'load ends') return atMs >= walk.loadEndMs
  const { assessor } = walk
  const { last, frame } = branch.iteration
  const holds = assessor.holds(until.verify, last ?? NOTHING, frame)
  if (assessor.fault === '' || assessor.isUnreadable) return holds
  return whetherHolds(walk, branch, until) === true
}
