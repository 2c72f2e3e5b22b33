// Entry of a rehearsal's thread.
import { parentPort, workerData } from 'node:worker_threads'
import type { Json, Rehearsal, RehearsedStep } from '@jolt-gate/core'
import { keepBeating, type Beat } from '../threads/beat.js'
import { rehearseHere, type Memory, type Rehearsed } from './rehearsing.js'

export interface RehearsalData {
  rehearsed: Rehearsed
  beat: Beat
}
export type ToRehearsal = 'stop'
export type FromRehearsal =
  | { kind: 'step'; step: RehearsedStep; memory: Memory }
  | { kind: 'kept'; values: ReadonlyMap<string, Json> }
  | { kind: 'done'; rehearsal: Rehearsal }
  | { kind: 'fault'; detail: string }

// eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the parent gives what RehearsalData says
const { rehearsed, beat }: RehearsalData = workerData
const parent = parentPort
if (parent === null) throw new Error('a rehearsal runs in a worker thread')
const post = (message: FromRehearsal) => {
  parent.postMessage(message)
}

const stopping = new AbortController()
parent.on('message', () => {
  stopping.abort()
})
keepBeating(beat)
try {
  const onStep = (step: RehearsedStep, memory: Memory) => {
    post({ kind: 'step', step, memory })
  }
  const onKept = (values: ReadonlyMap<string, Json>) => {
    post({ kind: 'kept', values })
  }
  const rehearsal = await rehearseHere(rehearsed, { onStep, onKept }, stopping.signal)
  post({ kind: 'done', rehearsal })
} catch (error) {
  post({ kind: 'fault', detail: error instanceof Error ? error.message : String(error) })
}
parent.close()
