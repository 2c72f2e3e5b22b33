// Entry of the thread that scripts run in. It does nothing else, so that ending it by force takes nothing along.
import { workerData } from 'node:worker_threads'
import { Draws } from '@jolt-gate/core/draws'
import { Sandbox } from './sandbox.js'
import type { ScriptOutcome } from './sandbox-limits.js'
import { ScriptPost } from './script-post.js'

export interface ScriptThreadData {
  shared: SharedArrayBuffer
}
/** `load` comes before the first `call` of a file. */
export type ScriptQuestion =
  | { kind: 'load'; file: string; script: string }
  /** Whether it exports a function of this name. */
  | { kind: 'look'; file: string; name: string }
  | { kind: 'call'; file: string; name: string; argument: string; draws: ScriptDraws }
/** The seed of the run, and the user, iteration and place to draw at. */
export type ScriptDraws = [seed: number, user: number, iteration: number, place: number]

// eslint-disable-next-line @typescript-eslint/no-unsafe-assignment -- the parent gives what ScriptThreadData says
const { shared }: ScriptThreadData = workerData
const post = new ScriptPost(shared)
const scripts = new Map<string, string>()
const sandboxes = new Map<string, Sandbox>()

async function answer(question: ScriptQuestion): Promise<ScriptOutcome> {
  const { file } = question
  if (question.kind === 'load') scripts.set(file, question.script)
  let sandbox = sandboxes.get(file)
  if (sandbox === undefined || sandbox.isSpent) {
    // What one left behind goes with its memory.
    sandbox = await Sandbox.of(file, scripts.get(file) ?? '')
    sandboxes.set(file, sandbox)
  }
  if (question.kind === 'load') return { kind: 'returned', json: 'null' }
  if (question.kind === 'look') return sandbox.look(question.name)
  const [seed, user, iteration, place] = question.draws
  const draws = new Draws(seed).at(user, iteration, place)
  return sandbox.call(question.name, question.argument, () => draws.next())
}

post.open()
for (;;) {
  const question = JSON.parse(post.next()) as ScriptQuestion
  const outcome = await answer(question).catch((error: unknown): ScriptOutcome => ({
    kind: 'failed',
    detail: error instanceof Error ? error.message : String(error),
  }))
  post.answer(JSON.stringify(outcome))
}
