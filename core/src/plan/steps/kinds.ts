// The table of the kinds of steps.
import type { Step } from '../model.js'
import { CALL } from './call.js'
import { GRPC } from './grpc.js'
import { GROUP } from './group.js'
import type { StepKind } from './kind.js'
import { PARALLEL } from './parallel.js'
import { PICK } from './pick.js'
import { REPEAT } from './repeat.js'
import { SEND } from './send.js'
import { SOCKET } from './socket.js'
import { STREAM } from './stream.js'
import { SQL } from './sql.js'
import { WAIT } from './wait.js'
import { WHEN } from './when.js'

const OWN: { [Kind in Step['kind']]: StepKind<Extract<Step, { kind: Kind }>> } = {
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

/** The kinds of steps by their word in the format. */
export const STEP_KINDS: Readonly<Record<Step['kind'], StepKind<Step>>> = OWN
