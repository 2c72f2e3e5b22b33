// Entry of the thread that reads what is reported. An error for a person keeps what it says on the way out of here.
import { ValidationError } from 'yup'
import { Problem } from '../http/problem.js'
import { judgedAgain } from './judged-again.js'
import { readResult, readRun, readSeconds } from './reading.js'

/** What comes of a task. */
export type Outcome<T> =
  | { kind: 'done'; value: T }
  | { kind: 'problem'; status: number; code: string; detail: string }
  | { kind: 'invalid'; errors: string[]; field: string | undefined }

export const TASKS = { run: readRun, seconds: readSeconds, result: readResult, judge: judgedAgain }

/**
 * @public asked for by the pool of threads
 * @param given - the name of a task, and what it is given
 */
export default async function work(given: { task: keyof typeof TASKS; of: unknown[] }): Promise<Outcome<unknown>> {
  const task: (...of: never[]) => unknown = TASKS[given.task]
  try {
    return { kind: 'done', value: await Reflect.apply(task, undefined, given.of) }
  } catch (error) {
    if (error instanceof Problem) {
      const { status, code, detail } = error
      return { kind: 'problem', status, code, detail }
    }
    if (error instanceof ValidationError) return { kind: 'invalid', errors: error.errors, field: error.path }
    throw error
  }
}
