// Ways through the steps of a plan.
import type { GroupStep, Plan, SendStep, Step } from '../model.js'
import type { OutlineLine, Timed } from './kind.js'
import { STEP_KINDS } from './kinds.js'

export type { OutlineLine, Timed }

/** The lists of steps inside a step, in the order in which they are written. */
export const stepsInside = (step: Step): readonly (readonly Step[])[] => STEP_KINDS[step.kind].inside(step)

/**
 * The same step around other steps.
 *
 * @param change - is given each list of `stepsInside`, and returns the one to take its place
 */
export const stepAround = (step: Step, change: (steps: readonly Step[]) => Step[]): Step =>
  STEP_KINDS[step.kind].around(step, change)

/** The lines of a step in an outline. */
export const outlineOf = (step: Step): OutlineLine[] => STEP_KINDS[step.kind].outline(step)

/** Every step of a list and of the lists inside it, outer before inner. */
export function* allSteps(steps: readonly Step[]): Generator<Step> {
  for (const step of steps) {
    yield step
    for (const inner of stepsInside(step)) yield* allSteps(inner)
  }
}

/** Every send step of a list, whatever it stands in, in the order in which they are written. */
export function* sendsOf(steps: readonly Step[]): Generator<SendStep> {
  for (const step of allSteps(steps)) if (step.kind === 'send') yield step
}

/** Every group of a list of steps, outer before inner. */
export function* groupsOf(steps: readonly Step[]): Generator<GroupStep> {
  for (const step of allSteps(steps)) if (step.kind === 'group') yield step
}

/** Everything of a list that is timed and counted under a name of its own. */
export function* timedOf(steps: readonly Step[]): Generator<Timed> {
  for (const step of allSteps(steps)) yield* STEP_KINDS[step.kind].timed(step)
}

/** A step that iterations come to: all of them (1), a part of them, or an unknown part (null). */
export interface Reach {
  name: string
  share: number | null
}

/** What iterations of a list of steps come to, each name once, at its largest share. */
export function reachOf(steps: readonly Step[]): Reach[] {
  const reached = new Map<string, number | null>()
  for (const { name, share } of reachIn(steps, 1)) {
    const known = reached.get(name)
    reached.set(name, known === undefined || known === null ? (share ?? known ?? null) : Math.max(known, share ?? 0))
  }
  return [...reached].map(([name, share]) => ({ name, share }))
}

function* reachIn(steps: readonly Step[], share: number | null): Generator<Reach> {
  for (const step of steps) {
    const kind = STEP_KINDS[step.kind]
    for (const { name, reach } of kind.timed(step))
      if (reach !== 'not counted') yield { name, share: reach === 'may' ? null : share }
    const shares = kind.shares(step)
    for (const [index, inside] of kind.inside(step).entries()) {
      const part = shares[index] ?? null
      yield* reachIn(inside, share === null || part === null ? null : share * part)
    }
  }
}

/** Requests that one walk through a list of steps makes one after another, at most. */
export function mostRequestsIn(steps: readonly Step[]): number {
  let total = 0
  for (const step of steps) {
    const kind = STEP_KINDS[step.kind]
    total += kind.timed(step).filter(({ isRequest }) => isRequest).length + kind.mostInside(step, mostRequestsIn)
  }
  return total
}

/**
 * Expected requests of a list of steps, those that `counts` takes by their name.
 *
 * A repeat counts all its rounds, a when its first branch, a pick by its weights.
 *
 * @returns on the mean, for one walk through the list
 */
export function expectedRequestsIn(steps: readonly Step[], counts: (step: string) => boolean): number {
  let total = 0
  for (const step of steps) {
    const kind = STEP_KINDS[step.kind]
    const visits = kind.visits(step)
    total += kind.timed(step).filter(({ name, isRequest }) => isRequest && counts(name)).length
    for (const [index, inside] of kind.inside(step).entries())
      total += (visits[index] ?? 0) * expectedRequestsIn(inside, counts)
  }
  return total
}

/** Paths of the files whose bytes requests carry. */
export function filesSentBy(plan: Plan): string[] {
  const sends = [plan.setup, ...plan.journeys.map((journey) => journey.steps), plan.teardown].flatMap((steps) => [
    ...sendsOf(steps),
  ])
  const paths = sends.flatMap(({ body }) => {
    if (body?.kind === 'file') return [body.path]
    return body?.kind === 'multipart' ? body.parts.flatMap((part) => (part.kind === 'file' ? [part.path] : [])) : []
  })
  return [...new Set(paths)]
}
