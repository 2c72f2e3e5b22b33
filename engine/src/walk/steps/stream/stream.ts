// A stream of server-sent events: its opening, each event that is awaited, and each time that it is opened again.
import { reconnectName, type StreamStep } from '@jolt-gate/core'
import type { StepRunner } from '../kind.js'
import { beginTalk, compileAwait, compileOpening } from '../talk/talk.js'
import { StreamTalker } from './stream-talk.js'

export const STREAM: StepRunner<StreamStep, 'stream'> = {
  compile(step, program) {
    const { shared } = program
    const opening = compileOpening(step, program)
    program.push({
      kind: 'stream',
      ...opening,
      acts: step.acts.map((act) =>
        act.kind === 'wait'
          ? { kind: 'wait', wait: act.wait, place: shared.nextPlace() }
          : compileAwait(act, step, program),
      ),
      staysMs: step.staysMs ?? 0,
      reconnect: program.timed(reconnectName(step), { timeoutMs: step.timeoutMs, onFailure: step.onFailure }),
    })
  },
  run: {
    stream(walk, branch, operation, dueMs) {
      const { iteration } = branch
      beginTalk(walk, branch, operation, dueMs, (url, listener) => {
        const cookie = iteration.cookies?.fieldFor(url.href) ?? ''
        const { frame } = iteration
        return new StreamTalker({ operation, url, frame, cookie, out: walk.outOf(iteration) }, listener, dueMs)
      })
      return false
    },
  },
}
