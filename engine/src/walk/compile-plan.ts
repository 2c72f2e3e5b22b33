// From a plan to its programs: steps become operations, names become slots.
import {
  allSteps,
  readsBody,
  timedOf,
  type Check,
  type Journey,
  type Plan,
  type RunShape,
  type Step,
  type Target,
} from '@jolt-gate/core'
import { PlanCompiler, ProgramCompiler } from '../compile/program-compiler.js'
import type { Compiled, CompileTools, Program } from '../compile/program.js'
import { compileStep } from './steps/kinds.js'

/**
 * Compiles a plan that was read without errors.
 *
 * @param shape - gives steps and checks their numbers
 * @throws what a template, check or keep says that cannot be compiled
 */
export function compilePlan(plan: Plan, target: Target, shape: RunShape, tools: CompileTools): Compiled {
  const shared = new PlanCompiler(plan, target, shape, tools)
  const rowSlots = plan.data.map((_, set) => shared.rowSlot(set))
  const setup = programOf(shared, plan.setup, { name: 'setup', returning: false }, 0)
  return {
    setup,
    journeys: plan.journeys.map((journey, number) => programOf(shared, journey.steps, journey, number)),
    teardown: programOf(shared, plan.teardown, { name: 'teardown', returning: false }, 0),
    slotCount: shared.names.slotCount,
    setupSlots: [...timedOf(plan.setup)].flatMap(({ keeps }) => keeps.map(({ name }) => shared.names.slotOf(name))),
    rowSlots,
    sentences: shared.sentences,
  }
}

function programOf(
  shared: PlanCompiler,
  steps: readonly Step[],
  journey: Pick<Journey, 'name' | 'returning'>,
  number: number,
): Program {
  const looksAtBody = readsBody(conditionsIn(steps).map(({ subject }) => subject))
  const program = new ProgramCompiler(shared, shared.names.scopeOf(journey.name, looksAtBody), compileStep)
  program.steps(steps)
  return program.end(journey, number)
}

/** The conditions of `when` and `repeat until` in some steps. */
function conditionsIn(steps: readonly Step[]): Check[] {
  return [...allSteps(steps)].flatMap((step) => {
    if (step.kind === 'when') return [step.condition]
    return step.kind === 'repeat' && step.until?.kind === 'check' ? [step.until.check] : []
  })
}
