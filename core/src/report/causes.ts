// Why requests failed, for the reports that people read first.
import type { RunResult } from '../judge/result-schema.js'

/** A report names so many causes; the result has all of them. */
export const MOST_CAUSES = 10

export interface Cause {
  step: string
  kind: string
  detail: string
  count: number
  /** The beginning of the first such answer. */
  sample: string
}

/** The causes of failures over all measured steps, the most frequent first. */
export function causesOf(result: Pick<RunResult, 'steps'>): Cause[] {
  return result.steps
    .flatMap(({ name, failures }) => failures.map((failure) => ({ step: name, ...failure })))
    .sort((one, other) => other.count - one.count)
    .map(({ step, kind, detail, count, sample }) => ({ step, kind, detail, count, sample }))
}

/** A cause in one line: `hold a place: status 500, 12 times`. */
export function causeWords({ step, kind, detail, count }: Cause): string {
  const what = detail === '' || detail === kind ? kind : `${kind} ${detail}`
  return `${step}: ${what}, ${count === 1 ? 'once' : `${String(count)} times`}`
}
