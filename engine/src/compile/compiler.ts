// From a plan to its program: steps become operations, names become slots.
import {
  compileCheck,
  compileFinder,
  compileReason,
  compileHeaders,
  compileJson,
  compileKeep,
  compileRequest,
  compileText,
  compileUrlTemplate,
  compileValue,
  Numbers,
  readsBody,
  allSteps,
  timedOf,
  type AssessContext,
  type Check,
  type Journey,
  type Keep,
  type Lookup,
  type Plan,
  type RunShape,
  type SendStep,
  type SocketStep,
  type Step,
  type Target,
} from '@jolt-gate/core'
import { noted } from '../threads/beat.js'
import { Names, type Scope } from './names.js'
import type {
  Compiled,
  CompiledAct,
  CompiledCheck,
  CompiledKeep,
  CompileTools,
  Condition,
  Operation,
  Program,
  SendOperation,
  SocketOperation,
  TimedOperation,
} from './program.js'

/** Compiles a plan that was read without errors. `shape` gives steps and checks their numbers. */
export function compilePlan(plan: Plan, target: Target, shape: RunShape, tools: CompileTools): Compiled {
  const compiler = new Compiler(plan, target, shape, tools)
  const rowSlots = plan.data.map((_, set) => compiler.rowSlot(set))
  const setup = compiler.program(plan.setup, { name: 'setup', returning: false }, 0)
  return {
    setup,
    journeys: plan.journeys.map((journey, number) => compiler.program(journey.steps, journey, number)),
    teardown: compiler.program(plan.teardown, { name: 'teardown', returning: false }, 0),
    slotCount: compiler.names.slotCount,
    setupSlots: [...timedOf(plan.setup)].flatMap((timed) =>
      timed.keeps.map((keep) => compiler.names.slotOf(keep.name)),
    ),
    rowSlots,
    sentences: compiler.sentences,
  }
}

class Compiler {
  readonly names: Names
  private readonly namespaces: Plan['namespaces']
  private readonly numbers: Numbers
  readonly sentences: string[] = []
  private places = 0
  /** Whether what is compiled now is repeated until the load ends. */
  private isUntilLoadEnds = false

  constructor(
    private readonly plan: Plan,
    private readonly target: Target,
    private readonly shape: RunShape,
    private readonly tools: CompileTools,
  ) {
    this.names = new Names(plan, target, tools.run)
    this.namespaces = plan.namespaces
    this.numbers = new Numbers(shape)
  }

  /** Where an iteration keeps the number of its row of a data set. */
  rowSlot(set: number): number {
    return this.names.slotOf(`row of ${this.plan.data[set]?.name ?? ''}`)
  }

  program(steps: readonly Step[], journey: Pick<Journey, 'name' | 'returning'>, number: number): Program {
    const scope = this.names.scopeOf(journey.name, readsBody(conditionsIn(steps).map(({ subject }) => subject)))
    const operations: Operation[] = []
    this.append(operations, steps, scope)
    const looksBack = (operation: Operation) =>
      operation.kind === 'when' || (operation.kind === 'repeat next' && typeof operation.until === 'object')
    return {
      journey: number,
      returning: journey.returning,
      operations,
      needsLast: operations.some(looksBack),
      data: [...scope.data].map((set) => ({ set, slot: this.rowSlot(set) })),
      secretSlots: operations.flatMap(keepsOf).flatMap(({ secret, slot }) => (secret ? [slot] : [])),
      begin: this.names.beginner(scope),
    }
  }

  // ---------- steps to operations

  private append(into: Operation[], steps: readonly Step[], scope: Scope): void {
    for (const step of steps) this.appendStep(into, step, scope)
  }

  private appendStep(into: Operation[], step: Step, scope: Scope): void {
    switch (step.kind) {
      case 'send':
        into.push(this.send(step, scope))
        return
      case 'wait':
        into.push({ kind: 'wait', wait: step.wait, place: this.places++, endsWithLoad: this.isUntilLoadEnds })
        return
      case 'group':
        into.push({ kind: 'group', group: this.shape.groups.indexOf(step.name) })
        this.append(into, step.steps, scope)
        into.push({ kind: 'group end' })
        return
      case 'when':
        this.appendWhen(into, step, scope)
        return
      case 'repeat':
        this.appendRepeat(into, step, scope)
        return
      case 'pick':
        this.appendPick(into, step, scope)
        return
      case 'parallel': {
        const operation: Operation = { kind: 'parallel', branches: [], next: 0 }
        into.push(operation)
        for (const branch of step.steps) {
          const from = into.length
          this.appendStep(into, branch, scope)
          operation.branches.push({ from, to: into.length })
        }
        operation.next = into.length
        return
      }
      case 'call':
        into.push({
          kind: 'call',
          ...this.timed(step.name, scope, step.keeps, Infinity, step.onFailure === 'end iteration'),
          call: { file: step.file, script: step.script, name: step.export },
          argument: compileJson({ kind: 'object', fields: step.with }, scope.lookup),
        })
        return
      case 'socket':
        into.push(this.socket(step, scope))
        return
      case 'sql':
        into.push({
          kind: 'sql',
          ...this.timed(step.name, scope, [], step.timeoutMs, true),
          database: compileText(step.database, scope.lookup),
          statement: step.statement,
          parameters: step.with.map((text) => compileValue(text, scope.lookup)),
        })
        return
      default:
        step satisfies never
    }
  }

  private appendWhen(into: Operation[], step: Extract<Step, { kind: 'when' }>, scope: Scope): void {
    const test: Operation = {
      kind: 'when',
      condition: this.condition(step.condition, scope.lookup),
      otherwise: 0,
      after: 0,
    }
    into.push(test)
    this.append(into, step.steps, scope)
    const jump: Operation = { kind: 'jump', to: 0 }
    into.push(jump)
    test.otherwise = into.length
    this.append(into, step.otherwise, scope)
    jump.to = test.after = into.length
  }

  private appendRepeat(into: Operation[], step: Extract<Step, { kind: 'repeat' }>, scope: Scope): void {
    const counter = this.names.slotOf(`rounds ${String(this.places++)}`)
    into.push({ kind: 'repeat begin', counter })
    const begin = into.length
    const test: Operation = { kind: 'repeat test', counter, times: step.times, end: 0 }
    into.push(test)
    const { until: given } = step
    const wasUntilLoadEnds = this.isUntilLoadEnds
    this.isUntilLoadEnds ||= given?.kind === 'load ends'
    this.append(into, step.steps, scope)
    this.isUntilLoadEnds = wasUntilLoadEnds
    const until = given?.kind === 'check' ? this.condition(given.check, scope.lookup) : given?.kind
    const next: Operation = { kind: 'repeat next', counter, until, begin, end: 0 }
    into.push(next)
    test.end = into.length
    if (given?.kind === 'check' && given.unmet === 'fail')
      into.push({
        kind: 'until unmet',
        ...this.timed(given.name, scope, [], Infinity, given.onFailure === 'end iteration'),
        rounds: step.times,
      })
    next.end = into.length
  }

  private appendPick(into: Operation[], step: Extract<Step, { kind: 'pick' }>, scope: Scope): void {
    const weights = step.options.map((option) => option.weight)
    const pick: Operation = { kind: 'pick', weights, targets: [], place: this.places++ }
    into.push(pick)
    const jumps = step.options.map((option) => {
      pick.targets.push(into.length)
      this.append(into, option.steps, scope)
      const jump = { kind: 'jump' as const, to: 0 }
      into.push(jump)
      return jump
    })
    for (const jump of jumps) jump.to = into.length
  }

  private timed(
    name: string,
    scope: Scope,
    keeps: readonly Keep[],
    timeoutMs: number,
    endsIterationOnFailure: boolean,
  ): TimedOperation {
    return {
      step: this.numbers.ofStep(name),
      place: this.places++,
      name,
      checks: [],
      keeps: keeps.map((keep) => this.keep(keep, name, scope.lookup)),
      timeoutMs,
      endsIterationOnFailure,
    }
  }

  private send(step: SendStep, scope: Scope): SendOperation {
    const withValues = new Map(step.with.map(([name, text]) => [name, compileValue(text, scope.lookup)]))
    const lookup: Lookup = (name) => withValues.get(name) ?? scope.lookup(name)
    const number = this.numbers.ofStep(step.name)
    return {
      kind: 'send',
      step: number,
      place: this.places++,
      name: step.name,
      request: compileRequest(step, this.target.headers, scope.lookup, this.tools.fileBytes),
      checks: step.checks.map((check) => this.check(check, step.name, number, lookup)),
      keeps: step.keeps.map((keep) => this.keep(keep, step.name, lookup)),
      hasStatusCheck: step.checks.some(namesStatus),
      // A condition may look at the last response, whichever that is: then the bodies of all are read.
      needsBody:
        scope.looksAtBody ||
        readsBody([...step.checks.map(({ subject }) => subject), ...step.keeps.map(({ source }) => source)]),
      timeoutMs: step.timeoutMs,
      redirects: step.redirects,
      http: step.http,
      refreshMs: step.refreshMs,
      endsIterationOnFailure: step.onFailure === 'end iteration',
    }
  }

  private socket(step: SocketStep, scope: Scope): SocketOperation {
    const withValues = new Map(step.with.map(([name, text]) => [name, compileValue(text, scope.lookup)]))
    const lookup: Lookup = (name) => withValues.get(name) ?? scope.lookup(name)
    const ends = step.onFailure === 'end iteration'
    const acts = step.acts.map((act): CompiledAct => {
      if (act.kind === 'wait') return { kind: 'wait', wait: act.wait, place: this.places++ }
      if (act.kind === 'say') {
        const text = act.json === undefined ? compileText(act.text ?? '', lookup) : compileJson(act.json, lookup)
        return { kind: 'say', timed: this.timed(act.name, scope, [], Infinity, ends), text }
      }
      return {
        kind: 'await',
        timed: this.timed(act.name, scope, act.keeps, act.withinMs, ends),
        verify: this.noted(`"${act.name}": ${act.check.name}`, compileCheck(act.check, this.context(lookup))),
        withinMs: act.withinMs,
      }
    })
    const headers = new Map([...this.target.headers, ...step.headers].map(([name, text]) => [name.toLowerCase(), text]))
    return {
      kind: 'socket',
      ...this.timed(step.name, scope, [], step.timeoutMs, ends),
      url: compileUrlTemplate(step.url, lookup),
      headers: compileHeaders(headers, undefined, lookup),
      acts,
    }
  }

  private check(check: Check, stepName: string, step: number, lookup: Lookup): CompiledCheck {
    return {
      verify: this.noted(`"${stepName}": ${check.name}`, compileCheck(check, this.context(lookup))),
      find: compileFinder(check.subject, this.context(lookup)),
      reason: compileReason(check, this.context(lookup)),
      number: this.numbers.ofCheck(step, check.name),
      name: check.name,
      isOnStatus: check.subject.kind === 'status',
      isOnTime: check.subject.kind === 'response time',
    }
  }

  private condition(check: Check, lookup: Lookup): Condition {
    return { verify: this.noted(check.name, compileCheck(check, this.context(lookup))), name: check.name }
  }

  private keep(keep: Keep, stepName: string, lookup: Lookup): CompiledKeep {
    return {
      take: this.noted(`"${stepName}": keep ${keep.name}`, compileKeep(keep, this.context(lookup))),
      slot: this.names.slotOf(keep.name),
      name: keep.name,
      secret: keep.secret,
      place: this.places++,
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
    return { lookup, namespaces: this.namespaces }
  }
}

/** Whether a check says which statuses are right: one that only rules some out leaves the default for all else. */
const namesStatus = ({ subject, test }: Check): boolean =>
  subject.kind === 'status' && test.kind !== 'is not' && test.kind !== 'exists' && test.kind !== 'missing'

/** The keeps of an operation, those of a socket's acts included. */
function keepsOf(operation: Operation): CompiledKeep[] {
  if (!('keeps' in operation)) return []
  if (operation.kind !== 'socket') return operation.keeps
  return operation.acts.flatMap((act) => (act.kind === 'wait' ? [] : act.timed.keeps))
}

/** The conditions of `when` and `repeat until` in some steps. */
function conditionsIn(steps: readonly Step[]): Check[] {
  return [...allSteps(steps)].flatMap((step) => {
    if (step.kind === 'when') return [step.condition]
    return step.kind === 'repeat' && step.until?.kind === 'check' ? [step.until.check] : []
  })
}
