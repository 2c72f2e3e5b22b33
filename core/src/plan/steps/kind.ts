// What a kind of step must say of itself. Each kind is one object of this shape, in a file of its name; kinds.ts lists
// them, and all that walks over steps asks there.
import type { Node, YAMLMap } from 'yaml'
import type { StepContext } from '../context.js'
import type { Check, Keep, Position, SocketStep, SendStep, Step, StreamStep } from '../model.js'

/**
 * Everything that differs from kind to kind, but for how a step runs, which is the engine's.
 *
 * The members are methods, so that a kind's object may stand in a table for any step: it is only asked of its own.
 */
export interface StepKind<S extends Step> {
  /** Reads it from its map; `readInside` reads the steps in it. */
  read(context: StepContext, node: YAMLMap, readInside: ReadSteps): Step[]
  /** The lists of steps in it, in the order in which they are written. */
  inside(step: S): readonly (readonly Step[])[]
  /** The same step around other steps: each list of `inside`, changed. */
  around(step: S, change: (steps: readonly Step[]) => Step[]): S
  /** How often each list of `inside` is walked on the mean: all rounds of a repeat, the first branch of a when. */
  visits(step: S): readonly number[]
  /** The part of all iterations that comes to each list of `inside`; null where it is not known. */
  shares(step: S): readonly (number | null)[]
  /** Requests that one walk through its inside makes one after another, at most; `most` tells it of a list. */
  mostInside(step: S, most: (steps: readonly Step[]) => number): number
  /** What is timed and counted under a name of its own, the inside left out. */
  timed(step: S): Timed[]
  /** Reports names that mean nothing where they are used; returns those known after it. */
  names(step: S, scope: NameScope): Iterable<string>
  /** Its lines in an outline of the plan. */
  outline(step: S): OutlineLine[]
}

export type ReadSteps = (context: StepContext, node: Node | null, what: string) => Step[]

/** What a step counts as: its name, with the checks and keeps made under it; a socket is one for each of its acts. */
export interface Timed {
  name: string
  /** Whether it loads the target; a call into a script does not. */
  isRequest: boolean
  /** Whether a run is void in which no iteration reached it; what only fails cannot be reached. */
  reach: 'must' | 'may' | 'not counted'
  checks: readonly Check[]
  keeps: readonly Keep[]
}

/** A line of an outline with what stands under it. */
export interface OutlineLine {
  sort: 'request' | 'wait' | 'group' | 'turn'
  /** A short word before the label: the method of a request. */
  method: string
  label: string
  at: Position
  steps: readonly Step[]
  lines: readonly OutlineLine[]
}

/** The names that are known where a step stands; a name that is not known is reported. */
export interface NameScope {
  /** This scope and more names. */
  with(names: Iterable<string>): NameScope
  /** Every {name} of texts. */
  texts(texts: Iterable<string>, at: Position): void
  /** The URL template of a request and its values. */
  url(step: Pick<SendStep | SocketStep | StreamStep, 'url' | 'with' | 'at'>): void
  /** The values that a check looks at and compares with. */
  operands(check: Check): void
  /** Returns the names that are kept. */
  keeps(keeps: readonly Keep[]): string[]
  /** Steps in order; returns all names known after the last. */
  steps(steps: readonly Step[]): Iterable<string>
  /** One step; returns the names known after it. */
  step(step: Step): Iterable<string>
}

/** Of a step that holds no other steps. */
export const NOTHING_INSIDE = {
  inside: () => [],
  around: <S extends Step>(step: S): S => step,
  visits: () => [],
  shares: () => [],
  mostInside: () => 0,
}

/** Of a step that is no request itself. */
export const NOT_TIMED = { timed: () => [] }

export const outlineLine = (
  at: Position,
  line: Partial<Omit<OutlineLine, 'at'>> & Pick<OutlineLine, 'sort' | 'label'>,
): OutlineLine => ({ method: '', steps: [], lines: [], at, ...line })
