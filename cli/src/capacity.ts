// `capacity`: the highest rate, or number of users, at which the gates hold, found by trials.
import {
  CapacitySearch,
  holdsAtLeast,
  judgedGates,
  noCapacityReason,
  readSentence,
  type CapacityUnit,
  type Found,
  type Plan,
  type TrialAnswer,
} from '@jolt-gate/core'
import { refuseForbidden } from './asked.js'
import { Ended, loadWords, runArguments, Trials, type TrialMade } from './capacity-trials.js'
import { EXIT, UsageError } from './errors.js'
import type { CapacityArguments, Output } from './options.js'
import { clock } from './preview.js'
import { writeReport } from './reports.js'
import { askedPlan, type AskedPlan } from './run-plan.js'

export async function capacity(file: string, options: CapacityArguments, output: Output): Promise<number> {
  const asked = await askedPlan(file, runArguments(options), undefined)
  const why = noCapacityReason(asked.plan)
  if (why !== undefined) throw new UsageError(`${file}: ${why}`)
  const goal = goalOf(options)
  const trials = new Trials(asked, options, output, goal)
  await refuseForbidden(trials.planAt(goal.highest, trials.holdSeconds), asked.target)
  const startedAt = new Date().toISOString()
  tellPlan(asked.plan, trials, options, output)
  try {
    const answer = goal.kind === 'at least' ? await atLeast(goal.highest, trials) : await search(goal, trials)
    write(options, { startedAt, asked, goal, trials: trials.made, answer })
    return answer.exitCode
  } catch (error) {
    if (!(error instanceof Ended)) throw error
    const answer: Answer = { exitCode: error.exitCode, found: null, words: `capacity unknown: ${error.message}` }
    write(options, { startedAt, asked, goal, trials: trials.made, answer })
    return error.exitCode
  }
}

// ---------- what is asked

type Goal = { unit: CapacityUnit; lowest: number; highest: number } & (
  { kind: 'search'; exact: number } | { kind: 'at least' }
)

function goalOf({ range, users, atLeast: least, exact = '5 %' }: CapacityArguments): Goal {
  if (least !== undefined) {
    if (range !== undefined || users !== undefined)
      throw new UsageError('--at-least decides one load: leave --range and --users out')
    const load = loadOf('--at-least', least)
    return { kind: 'at least', unit: load.unit, lowest: load.value, highest: load.value }
  }
  if ((range === undefined) === (users === undefined))
    throw new UsageError('give one of --range "20/s to 2000/s", --users "10 to 400" and --at-least 300/s')
  const [option, text] = range === undefined ? (['--users', users ?? ''] as const) : (['--range', range] as const)
  const ends = text.split(/\s+to\s+/).map((end) => loadOf(option, option === '--users' ? `${end} users` : end))
  const [from, to] = ends
  if (from === undefined || to === undefined || ends.length !== 2 || from.unit !== to.unit || from.value >= to.value)
    throw new UsageError(
      `${option}: expected two loads, the lower first, such as ${option === '--users' ? '"10 to 400"' : '"20/s to 2000/s"'}`,
    )
  const share = /^(\d+(?:\.\d+)?)\s*%$/.exec(exact)?.[1]
  if (share === undefined || Number(share) < 1 || Number(share) > 50)
    throw new UsageError('--exact: expected a share from 1 % to 50 %')
  return { kind: 'search', unit: from.unit, lowest: from.value, highest: to.value, exact: Number(share) / 100 }
}

function loadOf(option: string, text: string): { unit: CapacityUnit; value: number } {
  const users = /^(\d+)\s+users?$/.exec(text.trim())?.[1]
  if (users !== undefined && Number(users) > 0) return { unit: 'users', value: Number(users) }
  const rate = readSentence('RateOnly', text.trim())
  if (rate.ok && rate.value > 0) return { unit: 'arrivals', value: rate.value }
  throw new UsageError(`${option}: "${text}" is neither a rate such as 300/s nor a number of users`)
}

// ---------- answers

interface Answer {
  exitCode: number
  found: Found | { kind: 'holds'; load: number } | { kind: 'does not hold'; load: number } | null
  words: string
}

async function search(goal: Extract<Goal, { kind: 'search' }>, trials: Trials): Promise<Answer> {
  const { lowest, highest, exact, unit } = goal
  const rounded = unit === 'users' ? Math.round : (rate: number) => Number(rate.toPrecision(3))
  const searched = new CapacitySearch({ lowest, highest, exact, rounded })
  await trials.recover()
  let found = searched.found()
  while (found === null) {
    const trial = searched.next()
    const answer = await trials.at(trial.load, trial.confirms)
    searched.tell(trial, answer)
    found = searched.found()
    if (answer.kind !== 'held' && found === null) await trials.recover()
  }
  return { exitCode: EXIT_OF[found.kind], found, words: foundWords(found, unit, trials.made) }
}

const EXIT_OF: Record<Found['kind'], number> = {
  ...{ found: EXIT.ok, 'at least': EXIT.ok, below: EXIT.shut, unknown: EXIT.void },
}

function foundWords(found: Found, unit: CapacityUnit, trials: readonly TrialMade[]): string {
  const words = (load: number) => loadWords(Number(load.toPrecision(3)), unit)
  const gates = trials.flatMap(({ gate, answer }) => (answer === 'breached' && gate !== null ? [gate] : []))
  const last = gates.at(-1)
  const gave = last === undefined ? '' : `; what gave way: ${last}`
  switch (found.kind) {
    case 'found':
      return `capacity ${words(found.load)}, at 95 % between ${words(found.interval[0])} and ${words(found.interval[1])}${gave}`
    case 'at least':
      return found.why === 'range'
        ? `capacity at least ${words(found.load)}: all of the range holds`
        : `capacity at least ${words(found.load)}: this generator can do no more`
    case 'below':
      return `capacity below ${words(found.load)}, the lowest of the range${gave}`
    case 'unknown':
      return `capacity unknown: the trials told too little; between ${words(found.interval[0])} and ${words(found.interval[1])} so far`
  }
}

async function atLeast(load: number, trials: Trials): Promise<Answer> {
  const answers: TrialAnswer[] = []
  let outcome = holdsAtLeast(answers)
  while (outcome === 'more') {
    answers.push(await trials.at(load, true))
    outcome = holdsAtLeast(answers)
  }
  const words = trials.words(load)
  if (outcome === 'held')
    return { exitCode: EXIT.ok, found: { kind: 'holds', load }, words: `capacity at least ${words}: it holds` }
  const gate = trials.made.findLast((trial) => trial.gate !== null)?.gate
  const gave = gate === undefined || gate === null ? '' : `; what gave way: ${gate}`
  if (outcome === 'breached')
    return { exitCode: EXIT.shut, found: { kind: 'does not hold', load }, words: `capacity below ${words}${gave}` }
  const isOurs = answers.some(({ kind }) => kind === 'not delivered')
  return {
    ...{ exitCode: EXIT.void, found: null },
    words: isOurs
      ? `whether it holds ${words} is unknown: this generator could not make the load`
      : `whether it holds ${words} is unknown: ${String(answers.length)} trials told too little${nearestWords(answers)}`,
  }
}

/** Which gate was never sure, though it held, or could not be judged: both may be for too few requests. */
function nearestWords(answers: readonly TrialAnswer[]): string {
  const nearest = answers.findLast((answer) => answer.kind === 'held')?.nearest
  const why = answers.findLast((answer) => answer.kind === 'undecided')?.why
  if (nearest !== undefined) return ` of "${nearest}": a longer --hold tells more`
  return why === undefined ? '' : `: ${why}; a longer --hold tells more`
}

// ---------- what is told

function tellPlan(plan: Plan, trials: Trials, { within = '20m' }: CapacityArguments, output: Output): void {
  const { leftOut } = judgedGates(plan)
  for (const { rule, why } of leftOut) process.stderr.write(`left out: ${rule}: ${why}\n`)
  if (output.quiet) return
  process.stderr.write(
    `${plan.name}: trials of ${clock(trials.holdSeconds)}, each after a warm-up; it takes ${within} at most\n`,
  )
}

interface Told {
  startedAt: string
  asked: AskedPlan
  goal: Goal
  trials: readonly TrialMade[]
  answer: Answer
}

function write({ json }: CapacityArguments, { startedAt, asked, goal, trials, answer }: Told): void {
  if (json !== undefined) {
    const { found } = answer
    const load = found === null || !('load' in found) ? null : found.load
    const document = {
      ...{ plan: { name: asked.plan.name, file: asked.plan.file }, target: asked.target.name, startedAt },
      endedAt: new Date().toISOString(),
      capacity: {
        ...(goal.unit === 'arrivals' ? { perSecond: load } : { users: load }),
        ...{ kind: found?.kind ?? 'unknown', interval: found !== null && 'interval' in found ? found.interval : null },
        gate: trials.findLast(({ gate }) => gate !== null)?.gate ?? null,
        ...{ words: answer.words, trials },
      },
    }
    writeReport(json, `${JSON.stringify(document, null, 2)}\n`)
  }
  if (json !== '-') process.stdout.write(`${answer.words}\n`)
}
