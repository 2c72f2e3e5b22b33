// Names of a plan turned into slots of a frame, and the values that are made for an iteration.
import {
  isNumberMaker,
  compilePattern,
  compileText,
  Draws,
  makeValue,
  namesInText,
  pickIndex,
  rowValue,
  type Frame,
  type Json,
  type Lookup,
  type Plan,
  type ValueReader,
  type Target,
  type ValueMaker,
} from '@jolt-gate/core'
import type { Program, RunValues } from './program.js'

const USER_NUMBER = 0
const USER_ITERATION = 1
const RESERVED_SLOTS = 2
/** Apart from the places of all values of a plan. */
const PLACES_OF_A_USE = 10_000
/** Apart from the iterations of a user. */
const ITERATIONS_OF_A_COUNT = 1_000_000

/**
 * Makes a value of a user in an iteration. For one that is made at each use, `use` numbers the place in the plan where
 * it is used, and `count` the times that this place was come by, each from 1; else both are 0.
 */
type Make = (
  frame: Frame,
  user: number,
  iteration: number,
  draws: Draws,
  use: number,
  count: number,
) => Json | undefined

/** Names that one journey uses, and how they are read there. */
export interface Scope {
  journey: string
  lookup: Lookup
  /** Made values, and numbers of data sets, that are used. */
  made: Set<string>
  data: Set<number>
  /** Slots that count how often each use of a value was come by. */
  uses: number[]
  /** Whether a condition of the journey looks at the body of a response. */
  looksAtBody: boolean
}

export class Names {
  private readonly slots = new Map<string, number>()
  private readonly draws: Draws
  private useCount = 0

  constructor(
    private readonly plan: Plan,
    private readonly target: Target,
    private readonly run: RunValues,
  ) {
    this.draws = new Draws(run.seed)
  }

  get slotCount(): number {
    return RESERVED_SLOTS + this.slots.size
  }

  slotOf(name: string): number {
    const known = this.slots.get(name)
    if (known !== undefined) return known
    const slot = this.slotCount
    this.slots.set(name, slot)
    return slot
  }

  scopeOf(journey: string, looksAtBody: boolean): Scope {
    const scope: Scope = {
      journey,
      lookup: () => () => undefined,
      made: new Set(),
      data: new Set(),
      uses: [],
      looksAtBody,
    }
    scope.lookup = this.lookupIn(scope)
    return scope
  }

  /** How a name is read in one journey; what is made or taken from data is noted, so that only that is made. */
  private lookupIn(scope: Scope): Lookup {
    const fromSlot =
      (slot: number): ValueReader =>
      (frame) =>
        frame[slot]
    return (name) => {
      const reserved = this.reserved(name, scope.journey)
      if (reserved !== undefined) return reserved
      const override = this.run.overrides[name]
      if (override !== undefined) {
        const typed = typedValue(override, this.plan.values.find((value) => value.name === name)?.maker)
        return () => typed
      }
      const value = this.plan.values.find((value) => value.name === name)
      if (value !== undefined) {
        scope.made.add(name)
        return value.lasts === 'use' ? this.madeAtEachUse(value, scope) : fromSlot(this.slotOf(name))
      }
      const column = this.column(name, scope)
      if (column !== undefined) return column
      const given = this.target.values.find(([key]) => key === name)?.[1]
      return given === undefined ? fromSlot(this.slotOf(name)) : () => given
    }
  }

  private column(name: string, scope: Scope): ValueReader | undefined {
    const [set = '', ...rest] = name.split('.')
    const number = this.plan.data.findIndex((data) => data.name === set)
    const data = this.plan.data[number]
    const column = data?.columns.indexOf(rest.join('.')) ?? -1
    if (data === undefined || column < 0) return undefined
    scope.data.add(number)
    const slot = this.slotOf(`row of ${data.name}`)
    return (frame) => rowValue(data.rows, Number(frame[slot] ?? 0), column)
  }

  private reserved(name: string, journey: string): ValueReader | undefined {
    const { run } = this
    const constant =
      (value: Json): ValueReader =>
      () =>
        value
    if (name.startsWith('secret.')) return constant(run.secrets[name.slice(7)] ?? '')
    switch (name) {
      case 'run.id':
        return constant(run.id)
      case 'run.seed':
        return constant(run.seed)
      case 'journey.name':
        return constant(journey)
      case 'user.number':
        return (frame) => frame[USER_NUMBER]
      case 'user.iteration':
        return (frame) => frame[USER_ITERATION]
      case 'now':
        return () => new Date().toISOString()
      default:
        return undefined
    }
  }

  /** Each use draws by itself: what is drawn in parallel steps does not depend on which is answered first. */
  private madeAtEachUse(value: ValueMaker, scope: Scope): ValueReader {
    const make = this.maker(value, scope.journey)
    const use = ++this.useCount
    const slot = this.slotOf(`use ${String(use)}`)
    scope.uses.push(slot)
    const { draws } = this
    return (frame) => {
      const count = Number(frame[slot] ?? 0) + 1
      frame[slot] = count
      return make(frame, Number(frame[USER_NUMBER]), Number(frame[USER_ITERATION]), draws, use, count)
    }
  }

  /** What fills the made values of a new iteration in one journey. */
  beginner(scope: Scope): Program['begin'] {
    const fills = this.plan.values.flatMap((value) => {
      if (!scope.made.has(value.name) || value.lasts === 'use') return []
      const slot = this.slotOf(value.name)
      const make = this.maker(value, scope.journey)
      const { lasts } = value
      return [
        (frame: Frame, user: number, iteration: number, draws: Draws) => {
          frame[slot] = make(frame, lasts === 'run' ? 0 : user, lasts === 'iteration' ? iteration : 0, draws, 0, 0)
        },
      ]
    })
    return (frame, user, iteration, draws) => {
      frame[USER_NUMBER] = user
      frame[USER_ITERATION] = iteration
      for (const slot of scope.uses) frame[slot] = 0
      for (const fill of fills) fill(frame, user, iteration, draws)
    }
  }

  /** Makes a value for a user and an iteration; what it draws depends on nothing else. */
  private maker({ maker, name }: ValueMaker, journey: string): Make {
    const place = -1 - this.plan.values.findIndex((value) => value.name === name)
    const placed = (user: number, iteration: number, draws: Draws, use: number, count: number) =>
      draws.at(user, iteration + ITERATIONS_OF_A_COUNT * count, place - PLACES_OF_A_USE * use)
    const outer: Lookup = (name) =>
      this.reserved(name, journey) ?? (() => this.target.values.find(([key]) => key === name)?.[1])
    switch (maker.kind) {
      case 'constant': {
        const text = compileText(maker.text, outer)
        if (namesInText(maker.text).length > 0) return text
        const constant = text([])
        return () => constant
      }
      case 'pick': {
        const options = maker.options.map((option) => compileText(option, outer))
        return (frame, user, iteration, draws, use, count) =>
          options[pickIndex(maker.weights, placed(user, iteration, draws, use, count))]?.(frame)
      }
      case 'list': {
        const options = maker.options.map((option) => compileText(option, outer))
        return (frame, user, iteration, _, use, count) =>
          options[(user + iteration + use + count) % options.length]?.(frame)
      }
      case 'pattern': {
        const make = compilePattern(maker.pattern)
        return (_, user, iteration, draws, use, count) => {
          const drawn = placed(user, iteration, draws, use, count)
          return make(() => drawn.next())
        }
      }
      default:
        return (_, user, iteration, draws, use, count) =>
          makeValue(maker, placed(user, iteration, draws, use, count), this.run.startedAtMs)
    }
  }
}

/** A value set from outside, of the type that the plan's own value has. */
function typedValue(text: string, maker: ValueMaker['maker'] | undefined): Json {
  return maker !== undefined && isNumberMaker(maker) && text.trim() !== '' && Number.isFinite(Number(text))
    ? Number(text)
    : text
}
