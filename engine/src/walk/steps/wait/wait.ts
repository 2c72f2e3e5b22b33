// A wait, and its end with the load.
import { waitMs, type WaitStep } from '@jolt-gate/core'
import { noteWait } from '../../groups.js'
import type { StepRunner } from '../kind.js'

export const WAIT: StepRunner<WaitStep, 'wait'> = {
  compile({ wait }, program) {
    program.push({ kind: 'wait', wait, place: program.shared.nextPlace(), endsWithLoad: program.isUntilLoadEnds })
  },
  run: {
    wait(walk, branch, { wait, place, endsWithLoad }, atMs) {
      const drawn = waitMs(wait, walk.drawAt(branch.iteration, place))
      const lengthMs = endsWithLoad ? Math.min(drawn, Math.max(0, walk.loadEndMs - atMs)) : drawn
      noteWait(branch, lengthMs)
      walk.waitUntil(branch, atMs + lengthMs)
      return false
    },
  },
}
