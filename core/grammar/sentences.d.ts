// The shapes that sentences.peggy makes. The parser itself is generated beside this file.

export type Unit = 'time' | 'rate' | 'byte rate' | 'share' | 'size' | 'number' | 'grade'
/** Times in ms, rates per second, shares 0 to 1, sizes in bytes, grades by their number from the best, 0. */
export interface Quantity {
  unit: Unit
  value: number
}

export type Statistic = { kind: 'mean' | 'median' | 'min' | 'max' | 'sd' } | { kind: 'percentile'; percent: number }

export type Measure =
  | {
      kind:
        | 'response time'
        | 'time to first byte'
        | 'connect time'
        | 'group time'
        | 'journey time'
        | 'failed requests'
        | 'failed checks'
        | 'failed journeys'
        | 'capped arrivals'
        | 'cut off'
        | 'resent requests'
        | 'requests'
        | 'arrivals'
        | 'journeys'
        | 'throughput'
        | 'arrival rate'
        | 'bytes received'
        | 'bytes sent'
        | 'start lag'
        | 'generator busy'
        | 'event loop delay'
        | 'impact'
        | 'capacity'
    }
  | { kind: 'apdex'; goalMs: number }
  | { kind: 'metric'; name: string }
  | { kind: 'recovery'; phase: string }

export type Comparison = 'under' | 'at most' | 'over' | 'at least'
export type Scope = { kind: 'all' } | { kind: 'each step' } | { kind: 'names'; names: string[] }
export type Limit = ({ kind: 'fixed' } & Quantity) | { kind: 'baseline'; share: number; or: Quantity | undefined }

export interface GateSentence {
  statistic: Statistic | undefined
  measure: Measure
  of: Scope
  journey: string | undefined
  place: string | undefined
  network: string | undefined
  during: string[]
  comparison: Comparison
  limit: Limit
  spans: GateSpans
}
/** From where to where in a sentence a part stands; the end is not included. */
export type Span = [from: number, to: number]
/** Where the parts of a gate stand in its sentence. */
export interface GateSpans {
  statistic: Span | undefined
  measure: Span
  /** One for each name after `of`. */
  of: Span[]
  journey: Span | undefined
  place: Span | undefined
  network: Span | undefined
  during: Span[]
  comparison: Span
  limit: Span
}

export type Json = string | number | boolean | null | Json[] | { [name: string]: Json }
/** `written` is the JSON text: a number beyond 2⁵³ is compared by it. */
export type Operand = { kind: 'name'; name: string } | { kind: 'json'; json: Json; written: string }
export interface Regex {
  source: string
  flags: string
}

export type Subject =
  | { kind: 'status' | 'body' | 'response time' | 'size' | 'event' | 'data' }
  | { kind: 'header' | 'value'; name: string }
  | { kind: 'json' | 'xml'; path: string }

export type Test =
  | { kind: 'is' | 'is not'; value: Operand }
  | { kind: 'one of'; values: Operand[] }
  | { kind: 'class'; hundreds: number }
  | { kind: 'contains'; text: string }
  | { kind: 'matches'; regex: Regex }
  | { kind: 'exists' | 'missing' }
  | { kind: 'items'; bound: 'exactly' | 'at least' | 'at most'; count: number }
  | { kind: 'schema'; at: string }
  | { kind: 'bound'; comparison: Comparison; limit: Quantity }

export interface CheckSentence {
  subject: Subject
  test: Test
}

export type KeepSource =
  | { kind: 'status' | 'body' }
  | { kind: 'header' | 'cookie'; name: string }
  | { kind: 'json' | 'xml'; path: string }
  | { kind: 'match'; regex: Regex }
export type Which = { kind: 'first' | 'last' | 'all' | 'at random' } | { kind: 'number'; n: number }

export interface KeepSentence {
  secret: boolean
  source: KeepSource
  which: Which
  or: Operand | undefined
}

export type WaitSentence =
  | { kind: 'between'; fromMs: number; toMs: number }
  | { kind: 'about'; medianMs: number; spread: number }

/** Which requests ask the target to keep their trace; `no`: none has one. */
export type TraceSentence = { kind: 'failed' | 'no' } | { kind: 'share'; share: number }

/** What a stage of a pipeline begins with; `branch` null is any. */
export type BeginsSentence =
  | { kind: 'push'; branch: string | null }
  | { kind: 'schedule'; cron: string; zone: string }
  | { kind: 'admission' }

export interface Sentences {
  BeginsOnly: BeginsSentence
  /** The branch. */
  BaselineOnly: string
  RequirementOnly: { stage: string; withinMs: number | null }
  DurationOnly: number
  RateOnly: number
  RatesOnly: { from: number; to: number; ramp: boolean; by: number | null }
  UsersRange: { from: number; to: number; ramp: boolean; by: number | null }
  UsersOnly: number
  TraceOnly: TraceSentence
  /** Bits a second. */
  BitsOnly: number
  UntilOnly: { kind: 'load ends' }
  StopOnly: { kind: 'in a row' | 'in all'; seconds: number }
  WaitOnly: WaitSentence
  WholeRange: { from: number; to: number }
  DecimalRange: { from: number; to: number; places: number }
  DateOffset: number
  NormalSpread: { mean: number; sd: number }
  Gate: GateSentence
  Check: CheckSentence
  ValueCheck: CheckSentence
  Keep: KeepSentence
}

export interface Expectation {
  type: string
  text?: string
  description?: string
}
export class SyntaxError extends Error {
  expected: Expectation[] | null
  found: string | null
  location: { start: { offset: number }; end: { offset: number } }
}
export function parse<Rule extends keyof Sentences>(text: string, options: { startRule: Rule }): Sentences[Rule]
