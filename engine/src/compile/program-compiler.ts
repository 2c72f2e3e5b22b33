// What every kind of step is compiled with: names become slots, checks and keeps functions, places numbers.
import {
  compileCheck,
  compileFinder,
  compileKeep,
  compileReason,
  compileValue,
  Numbers,
  type AssessContext,
  type Check,
  type Journey,
  type Keep,
  type Lookup,
  type Plan,
  type RunShape,
  type Step,
  type Target,
  type Verify,
} from '@jolt-gate/core'
import { noted } from '../threads/beat.js'
import { Names, type Scope } from './names.js'
import type {
  CompiledCheck,
  CompiledKeep,
  CompileTools,
  Condition,
  Operation,
  Program,
  TimedOperation,
} from './program.js'

/** What all programs of a plan share: the numbers of names, places and sentences. */
export class PlanCompiler {
  readonly names: Names
  /** Every sentence that is evaluated on what was received; the number of each is its place, from 1. */
  readonly sentences: string[] = []
  private readonly numbers: Numbers
  private places = 0

  /**
   * @param plan - read without errors
   * @param shape - gives steps, groups and checks their numbers
   */
  constructor(
    readonly plan: Plan,
    readonly target: Target,
    readonly shape: RunShape,
    readonly tools: CompileTools,
  ) {
    this.names = new Names(plan, target, tools.run)
    this.numbers = new Numbers(shape)
  }

  /** Where an iteration keeps the number of its row of a data set. */
  rowSlot(set: number): number {
    return this.names.slotOf(`row of ${this.plan.data[set]?.name ?? ''}`)
  }

  /** The next place to draw at; each has draws of its own. */
  nextPlace(): number {
    return this.places++
  }

  /** Number of a step by its name; −1 for one that is not measured. */
  stepNumber(name: string): number {
    return this.numbers.ofStep(name)
  }

  check(check: Check, stepName: string, lookup: Lookup): CompiledCheck {
    const context = this.context(lookup)
    return {
      verify: this.verify(check, `"${stepName}": ${check.name}`, lookup),
      find: compileFinder(check.subject, context),
      reason: compileReason(check, context),
      number: this.numbers.ofCheck(this.stepNumber(stepName), check.name),
      name: check.name,
      isOnStatus: check.subject.kind === 'status',
      isOnTime: check.subject.kind === 'response time',
    }
  }

  /** What a check says of a response, as a sentence under some words. */
  verify(check: Check, words: string, lookup: Lookup): Verify {
    return this.noted(words, compileCheck(check, this.context(lookup)))
  }

  keep(keep: Keep, stepName: string, lookup: Lookup): CompiledKeep {
    return {
      take: this.noted(`"${stepName}": keep ${keep.name}`, compileKeep(keep, this.context(lookup))),
      slot: this.names.slotOf(keep.name),
      name: keep.name,
      secret: keep.secret,
      place: this.nextPlace(),
    }
  }

  /** Counts a sentence, and has the thread note when it evaluates it. */
  private noted<Given extends unknown[], Result>(
    words: string,
    evaluate: (...given: Given) => Result,
  ): (...given: Given) => Result {
    const number = this.sentences.push(words)
    return this.tools.beat === undefined ? evaluate : noted(this.tools.beat, number, evaluate)
  }

  private context(lookup: Lookup): AssessContext {
    return { lookup, namespaces: this.plan.namespaces }
  }
}

/** Compiles one step into the program that is being made; the table of the kinds of steps gives it. */
export type CompileStep = (step: Step, program: ProgramCompiler) => void

/** One program while its steps are compiled: a flat list of operations. */
export class ProgramCompiler {
  readonly operations: Operation[] = []
  /** Whether what is compiled now is repeated until the load ends. */
  isUntilLoadEnds = false
  private readonly secretSlots: number[] = []
  private needsLast = false

  constructor(
    readonly shared: PlanCompiler,
    readonly scope: Scope,
    private readonly compileStep: CompileStep,
  ) {}

  /** Compiles steps one after another. */
  steps(steps: readonly Step[]): void {
    for (const step of steps) this.compileStep(step, this)
  }

  /** Adds an operation, and returns it: what it leads to may be known only later. */
  push<One extends Operation>(operation: One): One {
    this.operations.push(operation)
    return operation
  }

  /** The place of the operation that is added next. */
  get next(): number {
    return this.operations.length
  }

  /** How names are read in a step that gives some of them itself. */
  lookupWith(given: readonly (readonly [string, string])[]): Lookup {
    const values = new Map(given.map(([name, text]) => [name, compileValue(text, this.scope.lookup)]))
    return (name) => values.get(name) ?? this.scope.lookup(name)
  }

  /** What is timed and counted under a name of its own. */
  timed(
    name: string,
    { keeps = [], timeoutMs = Infinity, onFailure, checks = [], lookup = this.scope.lookup }: Timing,
  ): TimedOperation {
    return {
      step: this.shared.stepNumber(name),
      place: this.shared.nextPlace(),
      name,
      checks: checks.map((check) => this.shared.check(check, name, lookup)),
      keeps: keeps.map((keep) => {
        const compiled = this.shared.keep(keep, name, lookup)
        if (keep.secret) this.secretSlots.push(compiled.slot)
        return compiled
      }),
      timeoutMs,
      endsIterationOnFailure: onFailure === 'end iteration',
    }
  }

  /** A condition on the last response. */
  condition(check: Check): Condition {
    this.needsLast = true
    return { verify: this.shared.verify(check, check.name, this.scope.lookup), name: check.name }
  }

  /** The program, once all its steps are compiled. */
  end({ returning }: Pick<Journey, 'returning'>, journey: number): Program {
    const { shared, scope, operations, needsLast, secretSlots } = this
    return {
      ...{ journey, returning, operations, needsLast, secretSlots },
      // In one order in all journeys: two senders of which each has the row that the other lacks would else change them
      // for ever.
      data: [...scope.data].sort((one, other) => one - other).map((set) => ({ set, slot: shared.rowSlot(set) })),
      begin: shared.names.beginner(scope),
    }
  }
}

interface Timing {
  checks?: readonly Check[]
  keeps?: readonly Keep[]
  timeoutMs?: number
  onFailure: 'continue' | 'end iteration'
  lookup?: Lookup
}
