// Reads and judges what is reported in a thread of its own, bounded in memory and time: others are answered meanwhile.
import { fileURLToPath } from 'node:url'
import { Piscina } from 'piscina'
import { Problem } from '../http/problem.js'
import type { Outcome, TASKS } from './reading-thread.js'

type Tasks = typeof TASKS

/** A day of load takes minutes to be judged. */
const WITHIN_MS: Record<keyof Tasks, number> = { run: 60_000, seconds: 60_000, result: 60_000, judge: 600_000 }
/** Of what the thread keeps; its own code is most of it. */
const MOST_MB = 320
/** That wait for the thread; each has its body in memory. */
const MOST_WAITING = 64
/** Then the thread ends, and its memory with it. */
const IDLE_MS = 60_000

export class Reader {
  private readonly threads: Piscina

  constructor() {
    const isSource = import.meta.url.endsWith('.ts')
    this.threads = new Piscina({
      filename: fileURLToPath(new URL(`./reading-thread.${isSource ? 'ts' : 'js'}`, import.meta.url)),
      ...(isSource ? { execArgv: ['--conditions=jolt-gate-source', '--import', 'tsx'] } : {}),
      ...{ minThreads: 0, maxThreads: 1, maxQueue: MOST_WAITING, idleTimeout: IDLE_MS },
      resourceLimits: { maxOldGenerationSizeMb: MOST_MB },
    })
  }

  /**
   * Does a task apart.
   *
   * @throws Problem as the task does, and where it takes too long or too much memory
   */
  async read<Name extends keyof Tasks>(
    task: Name,
    ...of: Parameters<Tasks[Name]>
  ): Promise<Awaited<ReturnType<Tasks[Name]>>> {
    const outcome = await this.ask<Awaited<ReturnType<Tasks[Name]>>>({ task, of }, WITHIN_MS[task])
    if (outcome.kind === 'done') return outcome.value
    if (outcome.kind === 'problem') throw new Problem(outcome.status, outcome.code, outcome.detail)
    throw new Problem(400, 'BAD_FIELD', outcome.errors.join('; '), { field: outcome.field })
  }

  close(): Promise<void> {
    return this.threads.destroy()
  }

  private async ask<T>(order: unknown, withinMs: number): Promise<Outcome<T>> {
    const signal = AbortSignal.timeout(withinMs)
    try {
      return (await this.threads.run(order, { signal })) as Outcome<T>
    } catch (error) {
      if (signal.aborted)
        throw new Problem(503, 'TOO_LONG', `the report was not read within ${String(withinMs / 60_000)} min; try again`)
      const said = error instanceof Error ? error.message : ''
      if (/out of memory|memory limit/i.test(said))
        throw new Problem(413, 'TOO_LARGE', `reading the report takes more than ${String(MOST_MB)} MB`)
      if (/queue is at limit/i.test(said))
        throw new Problem(503, 'BUSY', 'too many reports are read at once; try again in a few seconds')
      throw error
    }
  }
}
