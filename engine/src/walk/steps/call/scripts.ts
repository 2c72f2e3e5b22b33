// Functions of the repository's scripts. They run in a thread of their own, which is ended by force when a call lasts
// too long: not everything that a script does can be interrupted from inside.
import type { Worker } from 'node:worker_threads'
import { allSteps, type Step } from '@jolt-gate/core'
import { startThread } from '../../../threads/thread.js'
import type { ScriptCall } from '../../../compile/program.js'
import { CALL_MS, LOAD_MS, tooLong, type ScriptOutcome } from './sandbox-limits.js'
import { newPost, ScriptPost } from './script-post.js'
import type { ScriptDraws, ScriptQuestion, ScriptThreadData } from './script-thread.js'

const BOOT_MS = 5000
/** A call that may be interrupted ends by itself; after this it is ended. */
const GRACE_MS = 150
const LOADED: ScriptOutcome = { kind: 'returned', json: 'null' }

class ScriptThread {
  readonly post: ScriptPost
  private readonly loaded = new Set<string>()
  private readonly worker: Worker

  constructor() {
    const workerData: ScriptThreadData = { shared: newPost() }
    this.post = new ScriptPost(workerData.shared)
    this.worker = startThread('walk/steps/call/script-thread', { workerData })
    this.worker.unref()
    this.worker.on('error', () => undefined)
  }

  /** Loads a script that is not there yet; gives what went wrong, or undefined when it took too long. */
  load(file: string, script: string): ScriptOutcome | undefined {
    if (this.loaded.has(file)) return LOADED
    const outcome = this.ask({ kind: 'load', file, script }, LOAD_MS + GRACE_MS)
    if (outcome?.kind === 'returned') this.loaded.add(file)
    return outcome
  }

  ask(question: ScriptQuestion, withinMs: number): ScriptOutcome | undefined {
    const answer = this.post.ask(JSON.stringify(question), withinMs)

    return answer === undefined ? undefined : (JSON.parse(answer) as ScriptOutcome)
  }

  end(): void {
    void this.worker.terminate()
  }
}

let spare: ScriptThread | undefined

/**
 * Starts a thread for the scripts that steps call, and loads them there: the first call of a load waits for nothing.
 * Most plans call none.
 */
export function prepareScripts(steps: readonly Step[]): void {
  const calls = [...allSteps(steps)].filter((step) => step.kind === 'call')
  if (calls.length === 0 || spare !== undefined) return
  const thread = new ScriptThread()
  if (!thread.post.isThere(BOOT_MS)) return
  // What cannot be loaded says so when it is called; what takes too long leaves a thread that cannot be asked.
  const isHeld = calls.some(({ file, script }) => thread.load(file, script) === undefined)
  if (isHeld) thread.end()
  else spare = thread
}

/** What keeps calls of some steps from ever working: a script that cannot be read, a function it does not export. */
export function scriptFaults(steps: readonly Step[]): string[] {
  const calls = [...allSteps(steps)].filter((step) => step.kind === 'call')
  if (calls.length === 0) return []
  const thread = new ScriptThread()
  try {
    if (!thread.post.isThere(BOOT_MS)) return []
    const faults = calls.flatMap(({ file, script, export: name }) => {
      const loaded = thread.load(file, script)
      // What takes too long on this machine now may not when it is called.
      if (loaded === undefined) return []
      if (loaded.kind === 'failed') return [loaded.detail]
      const found = thread.ask({ kind: 'look', file, name }, LOAD_MS + GRACE_MS)
      return found?.kind === 'failed' ? [found.detail] : []
    })
    return [...new Set(faults)]
  } finally {
    thread.end()
  }
}

/** The scripts of one walker. */
export class Scripts {
  private thread: ScriptThread | undefined

  /**
   * Calls a function with one argument.
   *
   * @param argument - JSON text
   * @param draws - where `Math.random` draws in this call
   */
  call({ file, script, name }: ScriptCall, argument: string, draws: ScriptDraws): ScriptOutcome {
    this.thread ??= this.next()
    const { thread } = this
    if (!thread.post.isThere(BOOT_MS)) return this.ended(`${file}: the sandbox did not start`)
    try {
      const loaded = thread.load(file, script)
      if (loaded?.kind !== 'returned') return loaded ?? this.ended(`${file}: ${tooLong}`)
      const question: ScriptQuestion = { kind: 'call', file, name, argument, draws }
      return thread.ask(question, CALL_MS + GRACE_MS) ?? this.ended(`${file}: ${tooLong}`)
    } catch (error) {
      return this.ended(`${file}: ${error instanceof Error ? error.message : String(error)}`)
    }
  }

  close(): void {
    this.thread?.end()
    this.thread = undefined
  }

  /** Ends the thread and begins another, which is there by the next call. */
  private ended(detail: string): ScriptOutcome {
    this.thread?.end()
    this.thread = new ScriptThread()
    return { kind: 'failed', detail }
  }

  private next(): ScriptThread {
    const thread = spare ?? new ScriptThread()
    spare = undefined
    return thread
  }
}
