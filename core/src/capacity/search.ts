// The search for the most that a service can take: the highest rate, or number of users, at which the gates hold.
import { normalQuantile } from '../numbers/normal.js'
import { Belief } from './belief.js'

/** What a trial told of the load that it was made at. */
export type TrialAnswer =
  /** All gates held, or one gave way, by so many deviations of what was observed; `nearest` was next to give way. */
  | { kind: 'held'; deviations: number; nearest?: string }
  | { kind: 'breached'; deviations: number }
  /** It told nothing, such as when a gate is undecided. */
  | { kind: 'undecided'; why?: string }
  /** The generator could not make the load: it can do no more. */
  | { kind: 'not delivered' }

export interface SearchRange {
  lowest: number
  highest: number
  /** How wide the interval may be that the answer lies in, as a share of its lower end. */
  exact: number
  /** A load that can be made, next to a number, such as whole users. */
  rounded: (load: number) => number
}

/** A trial to be made. */
export interface Trial {
  load: number
  /** One that confirms is what the answer rests on, and longer. */
  why: 'doubling' | 'narrowing' | 'confirming'
}

export type Found =
  /** The best guess, and what it lies between at 95 %; at the lower end a long trial has held. */
  | { kind: 'found'; load: number; interval: [low: number, high: number] }
  /** All that could be tried held. */
  | { kind: 'at least'; load: number; why: 'range' | 'generator' }
  /** Not even the lowest load of the range holds. */
  | { kind: 'below'; load: number }
  /** The trials told too little. */
  | { kind: 'unknown'; interval: [low: number, high: number] }

const CREDIBLE = 0.95
/** Where trials are made, among what is believed. */
const BESIDE = 0.15
/** Trials that told nothing, one after another: more of them will not tell either. */
const MOST_UNDECIDED = 4

/**
 * Doubles the load until a gate gives way, then bisects by chance: each trial is made close to the median of what is
 * believed, and moves that by as much as it is sure.
 *
 * Source: R. Waeber, P. I. Frazier and S. G. Henderson, Bisection search with noisy responses, SIAM Journal on Control
 * and Optimization 51 (3), 2013. There each answer is right with one known chance; here see `Belief`.
 */
export class CapacitySearch {
  private readonly belief: Belief
  private isDoubling = true
  private told = 0
  private undecided = 0
  /** The highest load that held, and the lowest that the generator could not make. */
  private held: number | null = null
  private ceiling = Infinity
  private over: Found | null = null

  constructor(private readonly range: SearchRange) {
    this.belief = new Belief(range.lowest, range.highest)
  }

  /** What was found; null while there is more to try. */
  found(): Found | null {
    return this.over
  }

  /** Where the capacity lies at 95 %, by what was told. */
  interval(): [low: number, high: number] {
    return [this.belief.quantile((1 - CREDIBLE) / 2), this.belief.quantile((1 + CREDIBLE) / 2)]
  }

  /** The trial to be made next; the same until it is told of. */
  next(): Trial {
    const { lowest, highest, exact, rounded } = this.range
    if (this.isDoubling) {
      const load = this.held === null ? lowest : Math.min(highest, rounded(2 * this.held))
      return { load, why: 'doubling' }
    }
    const [low, high] = this.interval()
    const isNarrow = high <= low * (1 + exact) || rounded(low) === rounded(high)
    // In turns on either side: at the median alone, how fast a gate gives way would stay unknown.
    const side = this.told % 2 === 0 ? BESIDE : 1 - BESIDE
    return isNarrow
      ? { load: rounded(low), why: 'confirming' }
      : { load: rounded(this.belief.quantile(side)), why: 'narrowing' }
  }

  /** Tells what came of a trial. */
  tell({ load, why }: Trial, answer: TrialAnswer): void {
    switch (answer.kind) {
      case 'undecided':
        this.undecided++
        // Close to the capacity no trial is sure; a trial elsewhere may be.
        this.isDoubling &&= this.undecided < MOST_UNDECIDED / 2
        if (this.undecided >= MOST_UNDECIDED) this.over = { kind: 'unknown', interval: this.interval() }
        return
      case 'not delivered':
        this.ceiling = Math.min(this.ceiling, load)
        this.endAtCeiling()
        return
      case 'held':
      case 'breached':
        this.told++
        this.undecided = 0
        this.belief.learn(load, answer)
        this.afterAnswer(load, why === 'confirming', answer.kind === 'held')
        return
      default:
        answer satisfies never
    }
  }

  private afterAnswer(load: number, confirms: boolean, isHeld: boolean): void {
    const { lowest, highest } = this.range
    if (isHeld) this.held = Math.max(this.held ?? 0, load)
    else this.isDoubling = false
    const { below, beyond } = this.belief.outside()
    if (isHeld && load >= highest && (this.isDoubling || beyond > CREDIBLE))
      this.over = { kind: 'at least', load, why: 'range' }
    else if (!isHeld && load <= lowest && below > CREDIBLE) this.over = { kind: 'below', load: lowest }
    else if (isHeld && confirms) {
      const [low, high] = this.interval()
      // What was confirmed is the load of the trial, wherever that has moved the belief.
      this.over = {
        ...{ kind: 'found', load: this.range.rounded(this.belief.quantile(0.5)) },
        interval: [Math.min(low, load), high],
      }
    } else if (!this.isDoubling && this.belief.quantile(0.5) >= this.ceiling) this.endAtCeiling()
  }

  /** The search goes no higher than what can be made. */
  private endAtCeiling(): void {
    this.over =
      this.held === null
        ? { kind: 'unknown', interval: this.interval() }
        : { kind: 'at least', load: this.held, why: 'generator' }
  }
}

const MOST_TRIALS = 3
/** One trial never outweighs two that say otherwise. */
const MOST_FAR = 3
/** One-sided, of 95 %. */
const SURE_BY = normalQuantile(CREDIBLE)

/**
 * Whether a load holds, by one to three trials at it: together they are as sure as their deviations added up.
 *
 * @param answers - of the trials so far
 * @returns `more` where another trial is needed
 */
export function holdsAtLeast(answers: readonly TrialAnswer[]): 'held' | 'breached' | 'undecided' | 'more' {
  let [far, told] = [0, 0]
  for (const answer of answers) {
    if (answer.kind === 'not delivered') return 'undecided'
    if (answer.kind === 'undecided') continue
    const deviations = Math.min(MOST_FAR, answer.deviations)
    far += answer.kind === 'held' ? deviations : -deviations
    told++
  }
  const together = told === 0 ? 0 : far / Math.sqrt(told)
  if (Math.abs(together) >= SURE_BY) return together > 0 ? 'held' : 'breached'
  return answers.length < MOST_TRIALS ? 'more' : 'undecided'
}
