// The most that a service can take: the highest rate, or number of users, at which the gates of a plan hold.
import {
  CapacitySearch,
  decidedAnswer,
  firstToGiveWay,
  fitLaw,
  holdsAtLeast,
  judgedGates,
  searchAnswer,
  unknownAnswer,
  withGates,
  type Capacity,
  type CapacityAnswer,
  type CapacityGoal,
  type Plan,
  type TrialAnswer,
} from '@jolt-gate/core'
import { SearchEnded, Trials, type TrialHands } from './trials.js'

export interface CapacityFound extends Capacity {
  /** Of the command. */
  exitCode: number
}

const EXIT_OF: Record<Capacity['verdict'], number> = { open: 0, shut: 1, void: 3, stopped: 4 }

/**
 * Finds a capacity by trials, or decides one load.
 *
 * @param plan - one of which a capacity can be found (`noCapacityReason`)
 * @param hands - makes the runs, and is told of trials as they end
 * @returns the answer; one that ended before its time is unknown, with the trials so far
 */
export async function findCapacity(plan: Plan, goal: CapacityGoal, hands: TrialHands): Promise<CapacityFound> {
  const trials = new Trials(plan, goal, hands)
  try {
    const told = goal.kind === 'at least' ? await decide(goal, trials) : await search(goal, trials)
    const found = capacityOf(plan, goal, trials, told)
    return { ...found, exitCode: EXIT_OF[found.verdict] }
  } catch (error) {
    if (!(error instanceof SearchEnded)) throw error
    const verdict = error.exitCode === EXIT_OF.stopped ? 'stopped' : 'void'
    const answer = unknownAnswer(`capacity unknown: ${error.message}`, verdict)
    return { ...capacityOf(plan, goal, trials, answer), exitCode: error.exitCode }
  }
}

function capacityOf(plan: Plan, goal: CapacityGoal, { made }: Trials, told: CapacityAnswer): Capacity {
  const wanted = plan.capacity ?? []
  // A gate is on a rate; of users nothing tells it.
  const answer = withGates(told, goal.unit === 'arrivals' ? wanted : [])
  const ofUsers = goal.unit === 'arrivals' ? [] : wanted
  return {
    ...{ unit: goal.unit, ...answer, isGate: goal.kind === 'at least' },
    gate: firstToGiveWay(made),
    trials: made,
    leftOut: [
      ...judgedGates(plan).leftOut,
      ...ofUsers.map(({ rule }) => ({ rule, why: 'it is a rate, and users were searched' })),
    ],
    // What was undecided may be the generator's own doing.
    law: fitLaw(made.filter(({ answer: told }) => told === 'held' || told === 'breached')) ?? null,
  }
}

async function search(goal: Extract<CapacityGoal, { kind: 'search' }>, trials: Trials): Promise<CapacityAnswer> {
  const { lowest, highest, exact, unit } = goal
  const rounded = unit === 'users' ? Math.round : (rate: number) => Number(rate.toPrecision(3))
  const searched = new CapacitySearch({ lowest, highest, exact, rounded })
  await trials.recover()
  let found = searched.found()
  while (found === null) {
    const trial = searched.next()
    const answer = await trials.at(trial.load, trial.why)
    searched.tell(trial, answer)
    found = searched.found()
    if (answer.kind !== 'held' && found === null) await trials.recover()
  }
  return searchAnswer(found, unit, trials.made)
}

async function decide(goal: CapacityGoal, trials: Trials): Promise<CapacityAnswer> {
  const answers: TrialAnswer[] = []
  let outcome = holdsAtLeast(answers)
  while (outcome === 'more') {
    answers.push(await trials.at(goal.highest, 'deciding'))
    outcome = holdsAtLeast(answers)
  }
  return decidedAnswer(outcome, goal, trials.made, answers)
}
