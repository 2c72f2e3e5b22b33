// What a rehearsal does: one user, one iteration of each journey, and every request and response in full.
import {
  previewOf,
  shapeOf,
  tracesOf,
  type Frame,
  type Json,
  type Plan,
  type Rehearsal,
  type RehearsedStep,
  type Target,
} from '@jolt-gate/core'
import { compilePlan } from '../walk/compile-plan.js'
import { Cookies } from '../http/cookies.js'
import { Mask } from '../secrets/mask.js'
import type { Operation, Program, RunValues } from '../compile/program.js'
import { prepareScripts } from '../walk/steps/call/scripts.js'
import type { Ended } from '../walk/listener.js'
import { walkAlone } from '../walk/alone.js'
import { describe } from '../walk/describe.js'

const MOST_TEXT = 200_000
const STAGE_WITHIN_MS = 300_000

/** What is rehearsed; it can travel to a thread. */
export interface Rehearsed {
  plan: Plan
  target: Target
  run: RunValues
  /** One journey alone. */
  journey?: string | undefined
  /** Waits as the plan has them; else they are skipped. */
  waits?: boolean | undefined
  /** Bytes of the files that requests carry. */
  files: Map<string, Uint8Array>
  /** Begins at a step of a journey, with what an earlier rehearsal had kept before it; `only` ends after that step. */
  resume?: { memory: Memory; only?: boolean | undefined } | undefined
  /** Teardown alone, with what setup of a rehearsal that was cut off had kept. */
  teardownWith?: ReadonlyMap<string, Json> | undefined
}

/** What a user had kept before a step. It holds secrets: it stays where the rehearsal was made. */
export interface Memory {
  journey: string
  step: string
  values: ReadonlyMap<string, Json>
  cookies: string | null
}

/** Each step as it ends, and what is needed to begin there again. */
export type OnStep = (step: RehearsedStep, memory: Memory) => void

/** All that setup has kept so far, by name. It holds secrets, too. */
export type OnKept = (values: ReadonlyMap<string, Json>) => void

/**
 * Walks setup, each journey once, and teardown. Secrets are masked in all of it.
 *
 * @param signal - stops all but the teardown
 */
// eslint-disable-next-line max-lines-per-function -- setup, journeys and teardown share what is noted of each step
export async function rehearseHere(
  options: Rehearsed,
  { onStep, onKept }: { onStep: OnStep; onKept: OnKept },
  signal: AbortSignal,
): Promise<Rehearsal> {
  const { plan, target, run, journey, files } = options
  const every = [plan.setup, ...plan.journeys.map(({ steps }) => steps), plan.teardown]
  prepareScripts(every.flat())
  const compiled = compilePlan(plan, target, shapeOf(plan, previewOf(plan).phases), {
    run,
    fileBytes: (path) => files.get(path) ?? new Uint8Array(),
  })
  const mask = new Mask()
  for (const secret of Object.values(run.secrets)) mask.add(secret)
  const steps: RehearsedStep[] = []
  const journeys: Rehearsal['journeys'] = []
  const programs = [compiled.setup, ...compiled.journeys, compiled.teardown]
  const slots = slotsByName(programs)
  const note = (stage: string) => {
    let before = new Map<string, Json>()
    return (ended: Ended) => {
      const step = describe(stage, ended, mask, MOST_TEXT)
      steps.push(step)
      const { frame, cookies } = ended.iteration
      const own = new Set(ended.operation.keeps.map(({ name }) => name))
      const held = new Map(
        [...slots].flatMap(([name, slot]): [string, Json][] =>
          frame[slot] === undefined ? [] : [[name, frame[slot]]],
        ),
      )
      const values = new Map(
        [...held].flatMap(([name, value]): [string, Json][] =>
          !own.has(name) ? [[name, value]] : before.has(name) ? [[name, before.get(name) ?? null]] : [],
        ),
      )
      before = held
      if (stage === 'setup') onKept(held)
      onStep(step, { journey: stage, step: step.step, values, cookies: cookies?.toText() ?? null })
    }
  }
  const frame: Frame = new Array<undefined>(compiled.slotCount).fill(undefined)
  for (const slot of compiled.rowSlots) frame[slot] = 0
  const fill = (own: Frame, values: ReadonlyMap<string, Json>) => {
    for (const [name, value] of values) {
      const slot = slots.get(name)
      if (slot !== undefined) own[slot] = value
    }
  }
  const walk = async (program: Program, stage: string, own: Frame, from = 0, cookies: Cookies | null = null) => {
    const traces = tracesOf(`${run.id} ${stage}`, plan.trace)
    const who = { target, seed: run.seed, mask, frame: own, from, cookies, traces }
    const { how, timeMs } = await walkAlone(rehearsable(program, options.waits ?? false), {
      ...who,
      withinMs: STAGE_WITHIN_MS,
      signal: program === compiled.teardown ? undefined : signal,
      onEnded: note(stage),
    })
    return { passed: how === 'finished', timeMs }
  }
  const memory = options.resume?.memory
  if (memory !== undefined) {
    const index = plan.journeys.findIndex(({ name }) => name === memory.journey)
    const program = compiled.journeys[index]
    const at = program === undefined ? -1 : beginningOf(program, memory.step)
    if (program === undefined || at < 0)
      throw new RangeError(`the plan no longer has the step "${memory.step}" in "${memory.journey}"`)
    fill(frame, memory.values)
    const cookies = memory.cookies === null ? null : Cookies.fromText(memory.cookies)
    const walked = options.resume?.only === true ? upTo(program, at) : program
    const outcome = await walk(walked, memory.journey, frame, at, cookies)
    return {
      plan: plan.name,
      target: target.origin,
      passed: outcome.passed,
      steps,
      journeys: [{ name: memory.journey, ...outcome }],
    }
  }
  const { teardownWith } = options
  if (teardownWith !== undefined) fill(frame, teardownWith)
  const setup = teardownWith === undefined ? await walk(compiled.setup, 'setup', frame) : { passed: true }
  if (setup.passed && teardownWith === undefined) {
    for (const [index, program] of compiled.journeys.entries()) {
      const name = plan.journeys[index]?.name ?? ''
      if (signal.aborted || (journey !== undefined && journey !== name)) continue
      const outcome = await walk(program, name, [...frame])
      journeys.push({ name, ...outcome })
    }
  }
  const teardown = await walk(compiled.teardown, 'teardown', frame)
  const passed = setup.passed && teardown.passed && journeys.every((one) => one.passed)
  return { plan: plan.name, target: target.origin, passed, steps, journeys }
}

/** Where kept values stand, by name. */
function slotsByName(programs: readonly Program[]): Map<string, number> {
  const slots = new Map<string, number>()
  for (const { operations } of programs)
    for (const operation of operations)
      if ('keeps' in operation) for (const { name, slot } of operation.keeps) slots.set(name, slot)
  return slots
}

/**
 * The operation to begin with so that a step is walked: the step itself, or the repeat or together that it stands in.
 */
function beginningOf({ operations }: Program, step: string): number {
  const found = operations.findIndex((operation) => 'keeps' in operation && operation.name === step)
  const outer = operations.findIndex(
    (operation, index) =>
      index < found &&
      ((operation.kind === 'parallel' && operation.next > found) ||
        (operation.kind === 'repeat test' && operation.end > found)),
  )
  if (outer < 0) return found
  return operations[outer]?.kind === 'repeat test' ? outer - 1 : outer
}

/** A program that ends after the operation at a place: after all of a repeat or together that begins there. */
function upTo(program: Program, at: number): Program {
  const { operations } = program
  const [first, second] = [operations[at], operations[at + 1]]
  const end = first?.kind === 'parallel' ? first.next : second?.kind === 'repeat test' ? second.end : at + 1
  return { ...program, operations: operations.slice(0, end) }
}

/**
 * A response is shown in full, also where nothing else reads it, and waits are skipped. What waits until something
 * has happened still does.
 */
function rehearsable(program: Program, waits: boolean): Program {
  let awaits = -1
  const operations = program.operations.map((operation, index): Operation => {
    if (operation.kind === 'repeat test') awaits = Math.max(awaits, awaitedUntil(program, operation.end))
    if (operation.kind === 'wait' && !waits && index > awaits) return { kind: 'jump', to: index + 1 }
    return operation.kind === 'send' ? { ...operation, needsBody: true } : operation
  })
  return { ...program, operations }
}

/** The end of a repeat that ends when something holds; −1 for others. */
function awaitedUntil({ operations }: Program, end: number): number {
  const last = operations[end - 1]
  return last?.kind === 'repeat next' && typeof last.until === 'object' ? end : -1
}
