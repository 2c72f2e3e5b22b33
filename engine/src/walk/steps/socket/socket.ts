// A talk over a WebSocket: its opening, and each say and await in it, is timed under a name of its own.
import { compileJson, compileText, type SocketStep } from '@jolt-gate/core'
import type { ProgramCompiler } from '../../../compile/program-compiler.js'
import type { CompiledAct } from '../../../compile/program.js'
import type { StepRunner } from '../kind.js'
import { beginTalk, compileAwait, compileOpening } from '../talk/talk.js'
import { SocketTalker } from './socket-talk.js'

export const SOCKET: StepRunner<SocketStep, 'socket'> = {
  compile(step, program) {
    const opening = compileOpening(step, program)
    program.push({ kind: 'socket', ...opening, acts: step.acts.map((act) => compileAct(act, step, program)) })
  },
  run: {
    socket(walk, branch, operation, dueMs) {
      beginTalk(walk, branch, operation, dueMs, (url, listener) => {
        const { frame } = branch.iteration
        return new SocketTalker({ operation, url, frame, out: walk.outOf(branch.iteration) }, listener, dueMs)
      })
      return false
    },
  },
}

function compileAct(act: SocketStep['acts'][number], step: SocketStep, program: ProgramCompiler): CompiledAct {
  const { shared } = program
  if (act.kind === 'wait') return { kind: 'wait', wait: act.wait, place: shared.nextPlace() }
  if (act.kind === 'await') return compileAwait(act, step, program)
  const lookup = program.lookupWith(step.with)
  const text = act.json === undefined ? compileText(act.text ?? '', lookup) : compileJson(act.json, lookup)
  return { kind: 'say', timed: program.timed(act.name, { onFailure: step.onFailure }), text }
}
