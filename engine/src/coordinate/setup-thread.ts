// Entry of the thread that walks setup and teardown.
import { parentPort, workerData } from 'node:worker_threads'
import { tracesOf } from '@jolt-gate/core'
import { keepBeating, type Beat } from '../threads/beat.js'
import { compilePlan } from '../walk/compile-plan.js'
import { Mask } from '../secrets/mask.js'
import { prepareScripts } from '../walk/steps/call/scripts.js'
import type { WalkAsked } from './generators.js'
import type { ThreadData } from '../generate/sender-protocol.js'
import { walkOnce, type OnceOutcome } from '../walk/once.js'

export interface SetupThreadData extends ThreadData {
  beat: Beat
}

type PartAsked = WalkAsked & { kind: 'walk'; id: number }
export type ToSetupThread = PartAsked | { kind: 'give up' }
export interface FromSetupThread {
  id: number
  outcome: OnceOutcome
}

// eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the parent gives what SetupThreadData says
const { plan, target, shape, run, files, beat }: SetupThreadData = workerData
const parent = parentPort
if (parent === null) throw new Error('setup runs in a worker thread')
const compiled = compilePlan(plan, target, shape, {
  run,
  fileBytes: (path) => files.get(path) ?? new Uint8Array(),
  beat,
})
const mask = new Mask()
for (const secret of Object.values(run.secrets)) mask.add(secret)
const givingUp = new AbortController()

const walk = async ({ id, part, only, ...asked }: PartAsked): Promise<void> => {
  const program = compiled[part]
  const operations = program.operations.filter((_, place) => only === undefined || place === only)
  const signal = part === 'setup' ? givingUp.signal : undefined
  const traces = tracesOf(`${run.id} ${part} ${String(id)}`, plan.trace)
  const options = { ...asked, target, seed: run.seed, mask, signal, traces }
  const outcome = await walkOnce({ ...program, operations }, options)
  for (const secret of outcome.secrets) mask.add(secret)
  const answer: FromSetupThread = { id, outcome }
  parent.postMessage(answer)
}

keepBeating(beat)
prepareScripts([...plan.setup, ...plan.teardown])
parent.on('message', (message: ToSetupThread) => {
  if (message.kind === 'walk') void walk(message)
  else givingUp.abort()
})
