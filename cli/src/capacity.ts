// `capacity`: the highest rate, or number of users, at which the gates hold, found by trials.
import {
  CAPACITY_DEFAULTS,
  CapacityFault,
  formatMs,
  judgedGates,
  loadWords,
  noCapacityReason,
  readCapacityGoal,
  type CapacityGoal,
  type CapacityUnit,
  type Law,
  type Plan,
  type TrialMade,
} from '@jolt-gate/core'
import { newId } from '@jolt-gate/core/identity'
import { findCapacity, SearchEnded, trialPlanAt, type CapacityFound } from '@jolt-gate/engine'
import { refuseForbidden, refuseUnpermitted } from './asked.js'
import { EXIT, UsageError } from './errors.js'
import { fleetOf } from './fleet.js'
import type { CapacityArguments, Output, RunArguments } from './options.js'
import { clock } from './preview.js'
import { writeReport } from './reports.js'
import { askedPlan, engineOptions, isByFleet, refuseFleetless, runOnce, type AskedPlan } from './run-plan.js'

export async function capacity(file: string, options: CapacityArguments, output: Output): Promise<number> {
  const asked = await askedPlan(file, runArguments(options), undefined)
  refuseFleetless(asked, runArguments(options))
  const why = noCapacityReason(asked.plan)
  if (why !== undefined) throw new UsageError(`${file}: ${why}`)
  const goal = goalOf(options, asked.plan)
  await refuseNow(trialPlanAt(asked.plan, goal, goal.highest), asked, options)
  const fleet = await fleetOf(options)
  try {
    const startedAt = new Date().toISOString()
    tellBefore(asked.plan, goal, options, output)
    const found = await findCapacity(asked.plan, goal, {
      run: async (plan) => {
        await refuseInBetween(plan, asked, options)
        const run = engineOptions({ ...asked, plan }, runArguments(options), newId())
        return runOnce({ ...run, ...fleet?.forRun() }, output)
      },
      onTrial: (trial) => {
        if (!output.quiet) process.stderr.write(`${trialWords(trial, goal.unit)}\n`)
      },
    })
    write(options, { startedAt, asked, found })
    return found.exitCode
  } finally {
    await fleet?.close()
  }
}

/** Generators look for the proof themselves: this machine may not even reach the target. */
async function refuseNow(plan: Plan, { target }: AskedPlan, options: CapacityArguments): Promise<void> {
  if (isByFleet(runArguments(options))) refuseUnpermitted(plan, target, 1)
  else await refuseForbidden(plan, target)
}

const OPTION = {
  ...{ range: '--range', users: '--users', atLeast: '--at-least', exact: '--exact', hold: '--hold' },
  within: '--within',
} as const

function goalOf({ range, users, atLeast, exact, hold, within }: CapacityArguments, plan: Plan): CapacityGoal {
  try {
    return readCapacityGoal({ range, users, atLeast, exact, hold, within }, plan.capacity)
  } catch (error) {
    if (!(error instanceof CapacityFault)) throw error
    throw new UsageError(`${OPTION[error.what]}: ${error.why}`)
  }
}

/** A search takes long: what was permitted when it began may not be by now. */
async function refuseInBetween(plan: Plan, asked: AskedPlan, options: CapacityArguments): Promise<void> {
  try {
    await refuseNow(plan, asked, options)
  } catch (error) {
    if (error instanceof UsageError) throw new SearchEnded(EXIT.usage, [error.message])
    throw error
  }
}

const runArguments = ({ target, set, seed, fleet, generators }: CapacityArguments): RunArguments => ({
  ...(target === undefined ? {} : { target }),
  ...(seed === undefined ? {} : { seed }),
  ...(fleet === undefined ? {} : { fleet }),
  ...(generators === undefined ? {} : { generators }),
  ...{ set, scale: 1, onVoid: 'fail', label: {} },
})

// ---------- what is told

function tellBefore(plan: Plan, goal: CapacityGoal, options: CapacityArguments, output: Output): void {
  for (const { rule, why } of judgedGates(plan).leftOut) process.stderr.write(`left out: ${rule}: ${why}\n`)
  if (output.quiet) return
  const { within = CAPACITY_DEFAULTS.within } = options
  process.stderr.write(
    `${plan.name}: trials of ${clock(goal.holdSeconds)}, each after a warm-up; it takes ${within} at most\n`,
  )
}

function trialWords(trial: TrialMade, unit: CapacityUnit): string {
  const by = trial.deviations === null ? '' : ` by ${Math.min(9.9, trial.deviations).toFixed(1)} deviations`
  const gate = trial.gate === null ? '' : `: ${trial.gate}`
  const p95 = Math.max(...trial.steps.map((step) => step.p95 ?? -Infinity))
  const times = Number.isFinite(p95) ? `  p95 ${formatMs(p95)}` : ''
  return `${loadWords(trial.load, unit)} for ${clock(trial.holdSeconds)}  ${trial.answer}${by}${gate}${times}`
}

interface Told {
  startedAt: string
  asked: AskedPlan
  found: CapacityFound
}

function write({ json }: CapacityArguments, { startedAt, asked, found }: Told): void {
  if (json !== undefined) {
    const { exitCode, load, ...rest } = found
    const document = {
      ...{ plan: { name: asked.plan.name, file: asked.plan.file }, target: asked.target.name, startedAt },
      ...{ endedAt: new Date().toISOString(), exitCode },
      capacity: { ...(found.unit === 'arrivals' ? { perSecond: load } : { users: load }), ...rest },
    }
    writeReport(json, `${JSON.stringify(document, null, 2)}\n`)
  }
  if (json === '-') return
  process.stdout.write(`${found.words}\n`)
  if (found.law !== null) process.stdout.write(`${lawWords(found.law)}\n`)
}

function lawWords({ contention, coherency, r2, peakUsers, warning }: Law): string {
  const share = (value: number) => `${Number((100 * value).toPrecision(2))} %`
  const figure = ({ value, interval: [low, high] }: Law['contention']) =>
    `${share(value)} (${share(low)} to ${share(high)})`
  const peak = peakUsers === null ? 'no peak within the data' : `most throughput with ${peakUsers.toFixed(0)} users`
  const doubt = warning === null ? '' : `; not to be relied on: ${warning}`
  return `law (Gunther): contention ${figure(contention)}, coherency ${figure(coherency)}, R² ${r2.toFixed(3)}, ${peak}${doubt}`
}
