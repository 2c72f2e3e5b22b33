// Ways through the steps of a plan.
import type { Check, GroupStep, Keep, Plan, SendStep, Step } from './model.js'

/** The lists of steps inside a step, in the order in which they are written. */
export function stepsInside(step: Step): readonly Step[][] {
  switch (step.kind) {
    case 'group':
    case 'parallel':
    case 'repeat':
      return [step.steps]
    case 'when':
      return [step.steps, step.otherwise]
    case 'pick':
      return step.options.map((option) => option.steps)
    default:
      return []
  }
}

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

/** What a step counts as: its name, with the checks and keeps made under it; a socket is one for each of its acts. */
export interface Timed {
  name: string
  /** Whether it loads the target; a call into a script does not. */
  isRequest: boolean
  checks: readonly Check[]
  keeps: readonly Keep[]
}

/** Everything of a list that is timed and counted under a name of its own. */
export function* timedOf(steps: readonly Step[]): Generator<Timed> {
  for (const step of allSteps(steps)) yield* timedIn(step)
}

function* timedIn(step: Step): Generator<Timed> {
  switch (step.kind) {
    case 'send':
      yield { name: step.name, isRequest: true, checks: step.checks, keeps: step.keeps }
      return
    case 'call':
      yield { name: step.name, isRequest: false, checks: [], keeps: step.keeps }
      return
    case 'sql':
      yield { name: step.name, isRequest: true, checks: [], keeps: [] }
      return
    case 'socket':
      yield { name: step.name, isRequest: true, checks: [], keeps: [] }
      for (const act of step.acts) {
        if (act.kind === 'say') yield { name: act.name, isRequest: true, checks: [], keeps: [] }
        if (act.kind === 'await') yield { name: act.name, isRequest: true, checks: [], keeps: act.keeps }
      }
      return
    default:
  }
}

/** Requests that one walk through a list of steps makes one after another, at most. */
export function mostRequestsIn(steps: readonly Step[]): number {
  let total = 0
  for (const step of steps) total += inTurn(step)
  return total
}

function inTurn(step: Step): number {
  const most = (lists: readonly (readonly Step[])[]) => Math.max(0, ...lists.map(mostRequestsIn))
  switch (step.kind) {
    case 'group':
      return mostRequestsIn(step.steps)
    case 'parallel':
      return most(step.steps.map((branch) => [branch]))
    case 'repeat':
      return step.times * mostRequestsIn(step.steps)
    case 'when':
    case 'pick':
      return most(stepsInside(step))
    default: {
      let timed = 0
      for (const { isRequest } of timedIn(step)) timed += isRequest ? 1 : 0
      return timed
    }
  }
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
