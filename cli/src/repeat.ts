// A run made again: while it is void, and as often as its gates shall be judged by their median.
import { judgeRepeated, verdictWords, type Judgement, type RunResult } from '@jolt-gate/core'
import { UsageError } from './errors.js'
import type { Output, RunArguments } from './options.js'

interface RepeatOutcome {
  result: RunResult
  judgement: Judgement
}

/** Makes a run as often as the options ask, and judges all of them together. */
export async function asOftenAsAsked(
  once: () => Promise<RepeatOutcome>,
  { repeat = 1, retryVoid = 0 }: Pick<RunArguments, 'repeat' | 'retryVoid'>,
  output: Output,
): Promise<RepeatOutcome> {
  if (repeat < 1 || repeat % 2 === 0)
    throw new UsageError('--repeat: the median needs an odd number of runs, such as 3')
  const outcomes: RepeatOutcome[] = []
  let retries = retryVoid
  while (outcomes.length < repeat) {
    const outcome = await once()
    const { verdict, exitCode, reasons, mayDiffer } = outcome.judgement
    const isLast = outcomes.length === repeat - 1
    if (exitCode === 3 && retries > 0 && mayDiffer !== true && !output.quiet)
      process.stderr.write('not run again: another run would be void for the same reasons\n')
    if (exitCode === 3 && retries > 0 && mayDiffer === true) {
      retries--
      if (!output.quiet) process.stderr.write(`${verdictWords(verdict)}: ${reasons.join('; ')}\nrunning again\n`)
      continue
    }
    outcomes.push(outcome)
    // A person, or a fault of ours, ends it all.
    if (exitCode === 4 || exitCode === 5) break
    if (!output.quiet && !isLast)
      process.stderr.write(`${String(outcomes.length)} of ${String(repeat)}: ${verdictWords(verdict)}\n`)
  }
  const [only] = outcomes
  return repeat === 1 && only !== undefined ? only : judgeRepeated(outcomes)
}
