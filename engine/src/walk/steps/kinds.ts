// The table of the kinds of steps, as they run.
import type { Step } from '@jolt-gate/core'
import type { CompileStep } from '../../compile/program-compiler.js'
import type { Operation } from '../../compile/program.js'
import { CALL } from './call/call.js'
import { GRPC } from './grpc/grpc.js'
import { GROUP } from './group/group.js'
import type { OperationOf, Run, StepCompiler } from './kind.js'
import { PARALLEL } from './parallel/parallel.js'
import { PICK } from './pick/pick.js'
import { REPEAT } from './repeat/repeat.js'
import { SEND } from './send/send.js'
import { SOCKET } from './socket/socket.js'
import { SQL } from './sql/sql.js'
import { STREAM } from './stream/stream.js'
import { WAIT } from './wait/wait.js'
import { WHEN } from './when/when.js'

const OWN: { [Kind in Step['kind']]: StepCompiler<Extract<Step, { kind: Kind }>> } = {
  send: SEND,
  wait: WAIT,
  group: GROUP,
  parallel: PARALLEL,
  repeat: REPEAT,
  when: WHEN,
  pick: PICK,
  call: CALL,
  socket: SOCKET,
  stream: STREAM,
  grpc: GRPC,
  sql: SQL,
}
const COMPILERS: Readonly<Record<Step['kind'], StepCompiler<Step>>> = OWN

const OWN_RUNS: { [Kind in Operation['kind']]: Run<OperationOf<Kind>> } = {
  ...SEND.run,
  ...WAIT.run,
  ...GROUP.run,
  ...PARALLEL.run,
  ...REPEAT.run,
  ...WHEN.run,
  ...PICK.run,
  ...CALL.run,
  ...SOCKET.run,
  ...STREAM.run,
  ...GRPC.run,
  ...SQL.run,
}

/** What is done in each kind of operation. */
export const RUNS: Readonly<Record<Operation['kind'], Run<Operation>>> = OWN_RUNS

/** Compiles a step of any kind. */
export const compileStep: CompileStep = (step, program) => {
  COMPILERS[step.kind].compile(step, program)
}
