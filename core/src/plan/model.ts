// What a plan says once it is read. Times in ms, rates per second, shares 0 to 1.
import type { ProtoFile } from '../language/protobuf.js'
import type {
  CheckSentence,
  GateSentence,
  Json,
  KeepSentence,
  TraceSentence,
  WaitSentence,
} from '../language/sentences.js'

/** A place in a file; line and column count from 1. */
export interface Position {
  file: string
  line: number
  column: number
}

export interface Problem extends Position {
  severity: 'error' | 'warning'
  code: string
  message: string
  /** Its fix: so many characters from its place on become this text. */
  fix?: Fix
}
export interface Fix {
  length: number
  text: string
}

export const METHODS = ['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'TRACE'] as const
export type Method = (typeof METHODS)[number]

/** Text with `{name}` places in it, as written. */
export type Text = string

/** A JSON body with `{name}` places in its strings; a number keeps the digits it was written with. */
export type JsonTemplate =
  | { kind: 'text'; text: Text }
  | { kind: 'number'; written: string }
  | { kind: 'literal'; value: boolean | null }
  | { kind: 'list'; items: JsonTemplate[] }
  | { kind: 'object'; fields: [Text, JsonTemplate][] }

/** One part of a multipart body: a text, or a file of the repository. */
export type Part =
  { kind: 'text'; name: string; text: Text } | { kind: 'file'; name: string; path: string; type: string | undefined }

export type Body =
  | { kind: 'json'; json: JsonTemplate }
  | { kind: 'form'; fields: [string, Text][] }
  | { kind: 'text' | 'xml'; text: Text }
  | { kind: 'file'; path: string }
  | { kind: 'multipart'; parts: Part[] }

export type Auth = { kind: 'basic'; user: Text; password: Text } | { kind: 'bearer'; token: Text }

export interface Check extends CheckSentence {
  name: string
  /** The schema of `fits schema`, read from its file. */
  schema: Json | undefined
  at: Position
}

export interface Keep extends KeepSentence {
  name: string
  at: Position
}

export interface SendStep {
  kind: 'send'
  name: string
  method: Method
  /** RFC 6570 template: a path on the target's origin, or an absolute URL. */
  url: string
  with: [string, Text][]
  query: [string, Text][]
  headers: [string, Text][]
  body: Body | undefined
  auth: Auth | undefined
  checks: Check[]
  keeps: Keep[]
  timeoutMs: number
  redirects: number
  http: 1 | 2
  /** In setup: made anew so often while the load lasts. */
  refreshMs: number | undefined
  onFailure: OnFailure
  /** A run in which no iteration reached it is not void for that. */
  mayBeSkipped: boolean
  at: Position
}

export type OnFailure = 'continue' | 'end iteration'

export interface WaitStep {
  kind: 'wait'
  wait: WaitSentence
  at: Position
}

export interface GroupStep {
  kind: 'group'
  name: string
  steps: Step[]
  at: Position
}

/** All begin at once; the step after them begins when all have ended. */
export interface ParallelStep {
  kind: 'parallel'
  steps: Step[]
  at: Position
}

/** What ends a repeat before its rounds are made. */
export type Until =
  /** When it has not come true in all rounds, the step named so fails, unless the iteration continues all the same. */
  | { kind: 'check'; name: string; check: Check; unmet: 'fail' | 'continue'; onFailure: OnFailure }
  /** The load is over; the rounds have no other limit. */
  | { kind: 'load ends' }

export interface RepeatStep {
  kind: 'repeat'
  /** Rounds at most; all of them where `until` is not given. */
  times: number
  until: Until | undefined
  steps: Step[]
  at: Position
}

export interface WhenStep {
  kind: 'when'
  /** On the last response, or on a value. */
  condition: Check
  steps: Step[]
  otherwise: Step[]
  at: Position
}

export interface PickStep {
  kind: 'pick'
  options: { weight: number; steps: Step[] }[]
  at: Position
}

/** A function of a script of the repository, called in a sandbox. */
export interface CallStep {
  kind: 'call'
  name: string
  file: string
  /** Text of the script. */
  script: string
  export: string
  with: [string, JsonTemplate][]
  keeps: Keep[]
  onFailure: OnFailure
  mayBeSkipped: boolean
  at: Position
}

export interface SayAct {
  kind: 'say'
  name: string
  json: JsonTemplate | undefined
  text: Text | undefined
  at: Position
}
export interface AwaitAct {
  kind: 'await'
  name: string
  check: Check
  withinMs: number
  keeps: Keep[]
  /** Where an event says when it was sent: it is timed from then, else from when its await began. */
  sentAt: Keep | undefined
  at: Position
}

/** A WebSocket: opened, talked over, closed after its steps. */
export interface SocketStep {
  kind: 'socket'
  name: string
  url: string
  with: [string, Text][]
  headers: [string, Text][]
  acts: (SayAct | AwaitAct | WaitStep)[]
  timeoutMs: number
  onFailure: OnFailure
  mayBeSkipped: boolean
  at: Position
}

/** Server-sent events: a stream that is opened, and opened again where it is lost, until all is done on it. */
export interface StreamStep extends Omit<SocketStep, 'kind' | 'acts'> {
  kind: 'stream'
  acts: (AwaitAct | WaitStep)[]
  /** How long it stays open, where that is longer than its steps take. */
  staysMs: number | undefined
}

/** A call of a method of a service, by its .proto file. */
export interface GrpcStep {
  kind: 'grpc'
  name: string
  /** package.Service/Method */
  called: string
  /** The file and all that it imports, each with its text. */
  proto: ProtoFile[]
  /** One, or as many as the client streams. */
  messages: JsonTemplate[]
  metadata: [string, Text][]
  checks: Check[]
  keeps: Keep[]
  /** The deadline. */
  timeoutMs: number
  onFailure: OnFailure
  mayBeSkipped: boolean
  at: Position
}

export interface SqlStep {
  kind: 'sql'
  name: string
  database: Text
  statement: string
  with: Text[]
  timeoutMs: number
  at: Position
}

/** Steps that are timed and counted as requests. */
export type TimedStep = SendStep | CallStep | SocketStep | StreamStep | GrpcStep | SqlStep
export type Step = TimedStep | WaitStep | GroupStep | ParallelStep | RepeatStep | WhenStep | PickStep

export interface Journey {
  name: string
  weight: number
  /** In users and iterations phases the same user comes back, with its cookies and kept values. */
  returning: boolean
  /** In users and iterations phases an iteration begins at least so long after the one before began; 0 for none. */
  pacingMs: number
  steps: Step[]
  at: Position
}

export type Maker =
  | { kind: 'constant'; text: Text }
  | { kind: 'whole'; from: number; to: number }
  | { kind: 'decimal'; from: number; to: number; places: number }
  | { kind: 'pick'; options: Text[]; weights: number[] }
  | { kind: 'list'; options: Text[] }
  | { kind: 'date'; days: number; format: string | undefined; zone: string | undefined }
  | { kind: 'uuid'; version: 'v4' | 'v7' }
  | { kind: 'pattern'; pattern: string }
  | { kind: 'text'; length: number }
  | { kind: 'normal'; mean: number; sd: number }

/** How long a made value lasts. */
export type Lasting = 'use' | 'iteration' | 'user' | 'run'

export interface ValueMaker {
  name: string
  maker: Maker
  lasts: Lasting
  at: Position
}

/** Values of rows, one after the other: texts as they are, everything else as JSON. */
export interface DataRows {
  /** How many. */
  count: number
  columns: number
  /** The values, ten thousand in each. */
  texts: string[]
  /** Where each value ends in its text, row by row. */
  ends: Uint32Array
  /** Whether values are JSON rather than texts. */
  isJson: boolean
}

/** Rows of a file; an arrival takes one. */
export interface DataSet {
  name: string
  file: string
  take: 'in turn' | 'at random' | 'once each'
  /** What comes when the rows of `once each` have run out. */
  then: 'void' | 'again' | 'stop'
  columns: string[]
  rows: DataRows
  at: Position
}

export type Spacing = 'even' | 'random'

interface PhaseCommon {
  name: string
  /** Length in seconds; of iterations, the upper bound. */
  seconds: number
  measured: boolean
  /** The journey whose own track this is, or null for the common one. */
  track: string | null
  /** Name of the ladder of which this is a level. */
  ladder: string | null
  spacing: Spacing
  /** Users in flight at most; undefined for the plan's own limit. */
  cap: number | undefined
  at: Position
}
export type Phase = PhaseCommon &
  (
    | { kind: 'constant'; rate: number }
    | { kind: 'ramp'; from: number; to: number }
    | { kind: 'batch'; starts: number }
    | { kind: 'rest' }
    | { kind: 'users'; from: number; to: number; spreadSeconds: number }
    | { kind: 'iterations'; users: number; iterations: number }
  )

export interface Load {
  /** The common track's phases first, then those of each journey with a load of its own; each track in order. */
  phases: Phase[]
  drainMs: number
  cap: number | undefined
  mix: 'exact' | 'drawn'
}

/** When a breached gate stops the run. */
export interface StopRule {
  kind: 'in a row' | 'in all'
  /** Whole, at least 1. */
  seconds: number
}

export interface Gate extends GateSentence {
  /** The sentence, about the one step of which it is. */
  rule: string
  /** The sentence as it stands in the file: for a gate of each step, the one for all of them. */
  written: string
  stop: StopRule | undefined
  /** A count or a rate means nothing when the load was scaled: shown, not judged. */
  isScaled: boolean
  /** No gate of the plan, but one that every run without such a gate is held to. */
  isDefault: boolean
  /** On failed journeys: those that requests alone failed do not count, since these have a limit of their own. */
  leavesOutRequests: boolean
  at: Position
}

export interface PlanPlace {
  name: string
  weight: number
}

/** A network that users come over; one without a delay and a rate is that of the generator as it is. */
export interface PlanNetwork {
  name: string
  weight: number
  /** There and back. */
  delayMs: number
  /** By which the delay varies to either side. */
  jitterMs: number
  /** Bits a second to the user and from there; undefined for as many as there are. */
  downBits: number | undefined
  upBits: number | undefined
}

export interface Plan {
  file: string
  name: string
  about: string
  target: string | undefined
  /** Where its load is made, each with its share; undefined where no place is named. */
  places?: PlanPlace[] | undefined
  /** What users come over, each of them over one; undefined where that is of no matter. */
  networks?: PlanNetwork[] | undefined
  /** What a lost generator means; by default the run is void. */
  onLoss?: 'void' | 'continue at less' | undefined
  seed: number
  /** T of Apdex for the impact of a run: up to this a response satisfies. */
  satisfiedMs: number | undefined
  /** Whether what leaves a doubt, and decides nothing, makes a run void. */
  strict: boolean
  /** Which requests ask the target to keep their trace. */
  trace: TraceSentence
  values: ValueMaker[]
  data: DataSet[]
  /** Prefixes of XPath expressions. */
  namespaces: Record<string, string>
  connections: 'shared' | 'per user'
  setup: Step[]
  journeys: Journey[]
  teardown: Step[]
  load: Load
  gates: Gate[]
  /** Gates that a search for the capacity judges, and no run; undefined where there is none. */
  capacity?: CapacityGate[]
}

/** A capacity that is wanted. */
export interface CapacityGate extends Gate {
  /** Arrivals a second that every other gate is to hold at. */
  perSecond: number
}
