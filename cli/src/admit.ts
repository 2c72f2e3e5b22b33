// `admit`: may this change go on to this stage? The answer is the exit code; no answer opens nothing.
import { writeFileSync } from 'node:fs'
import { setTimeout } from 'node:timers/promises'
import { ADMISSION_TITLES, lengthWords } from '@jolt-gate/core'
import { ROUTES, type AdmissionAnswer } from '@jolt-gate/core/api'
import { EXIT, UsageError } from './errors.js'
import type { AdmitArguments, Output } from './options.js'
import { commitOf } from './repository.js'
import { Refused, Server } from './report/server.js'
import { tableOf } from './tables.js'

const TRIES = 3
const WAIT_MS = 2000
/** Of these the question is wrong, and the same question would be wrong again. */
const WRONG = new Set(['NO_STAGE', 'NO_PIPELINE', 'SEVERAL', 'AMBIGUOUS', 'BAD_FIELD', 'PIPELINE', 'NO_PROJECT'])

/** @returns the exit code: 0 admitted, 1 refused or waiting, 2 where the question is wrong, 3 without an answer */
export async function admit(asked: AdmitArguments, output: Output): Promise<number> {
  const commit = asked.commit ?? commitOf(process.cwd()).commit
  if (commit === null)
    throw new UsageError('--commit is needed: there is no Git repository here to take the change from')
  const server = Server.at(asked.to, process.env['JOLT_TOKEN'])
  try {
    const answer = await answerOf(server, asked, commit)
    if (asked.json !== undefined) writeJson(asked.json, answer)
    if (asked.json !== '-') print(answer, output)
    return answer.answer === 'admitted' ? EXIT.ok : EXIT.shut
  } catch (error) {
    const words = error instanceof Error ? error.message : String(error)
    if (error instanceof Refused && WRONG.has(error.code)) throw new UsageError(words)
    process.stderr.write(`Void (inconclusive): no answer on ${asked.stage}: ${words}\n`)
    return EXIT.void
  }
}

async function answerOf(server: Server, { stage, pipeline }: AdmitArguments, commit: string): Promise<AdmissionAnswer> {
  for (let tries = 1; ; tries++) {
    try {
      const query = { stage, commit, ...(pipeline === undefined ? {} : { pipeline }) }
      return await server.ask(ROUTES.admission, { project: await server.projectId() }, { query })
    } catch (error) {
      if (error instanceof Refused || tries === TRIES) throw error
      await setTimeout(WAIT_MS)
    }
  }
}

function print({ answer, stage, commit, words, required, approval }: AdmissionAnswer, output: Output): void {
  if (!output.quiet) {
    const rows = required.map(({ stage: at, withinMs, isMet, words: why }) => [
      isMet ? 'open' : 'shut',
      withinMs === null ? at.stage : `${at.stage} within ${lengthWords(withinMs)}`,
      why.slice(at.stage.length + 2),
    ])
    if (rows.length > 0) process.stdout.write(`${tableOf(['', 'required', ''], rows, [], output.color)}\n\n`)
    for (const { id, number, why } of required.flatMap(({ stage: at }) => at.plans.flatMap(({ ignored }) => ignored)))
      process.stdout.write(`run ${String(number)} (${id}) does not count: ${why}\n`)
    for (const { plan, run, changed } of required.flatMap(({ stage: at }) => at.plans))
      if (changed !== null && run?.planCommit != null)
        process.stdout.write(
          `${plan} as at ${run.planCommit.slice(0, 7)}, last changed ${changed.at.slice(0, 10)} by ${changed.who} (${changed.commit.slice(0, 7)})\n`,
        )
    if (approval !== null) process.stdout.write(`approved by ${approval.by} at ${approval.at}\n`)
  }
  process.stdout.write(`${ADMISSION_TITLES[answer]}: ${stage} for ${commit.slice(0, 12)}: ${words}\n`)
}

function writeJson(file: string, answer: AdmissionAnswer): void {
  const text = `${JSON.stringify(answer, null, 2)}\n`
  if (file === '-') process.stdout.write(text)
  else writeFileSync(file, text)
}
