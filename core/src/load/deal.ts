// To whom arrivals, users and a cap are dealt, among those who share the load of a run.
import { JourneyMix } from './mix.js'

/** Those in one place, who take its turns one after another. */
export interface DealtPlace {
  /** Its share of the load, among the weights of all places. */
  weight: number
  /** How many share it there. */
  shares: number
}

/** Those who share a load, numbered place by place. */
export type Deal = readonly DealtPlace[]

/** One alone. */
export const UNDIVIDED: Deal = [{ weight: 1, shares: 1 }]

export const dealtEvenly = (shares: number): Deal => [{ weight: 1, shares }]

/**
 * Deals to the places by their weights, so that each has its share to within one at any time, and in turn within each.
 */
export class Dealer {
  /** Whose place each turn is, until the turns begin again; and how many of that place came before. */
  private readonly turns: { place: number; before: number }[]
  private readonly firsts: number[]

  constructor(private readonly deal: Deal) {
    let first = 0
    this.firsts = deal.map(({ shares }) => (first += shares) - shares)
    const counts = deal.map(() => 0)
    const mix = new JourneyMix(deal.map(({ weight }) => weight))
    this.turns = Array.from({ length: deal.reduce((sum, { weight }) => sum + weight, 0) }, () => {
      const place = mix.next()
      const before = counts[place] ?? 0
      counts[place] = before + 1
      return { place, before }
    })
  }

  /** Whose the nth is, from 0. */
  ownerOf(nth: number): number {
    const { turns } = this
    const round = Math.floor(nth / turns.length)
    const turn = turns[nth - round * turns.length]
    const place = this.deal[turn?.place ?? -1]
    if (turn === undefined || place === undefined) throw new RangeError('a deal has a place, and turns count from 0')
    return (this.firsts[turn.place] ?? 0) + ((round * place.weight + turn.before) % place.shares)
  }

  /** How many of so many the one with this number has. */
  partOf(count: number, owner: number): number {
    if (count === Infinity) return count
    const place = this.firsts.findLastIndex((first) => first <= owner)
    const { weight, shares } = this.deal[place] ?? { weight: 0, shares: 1 }
    const rounds = Math.floor(count / this.turns.length)
    const rest = this.turns.slice(0, count % this.turns.length).filter((turn) => turn.place === place).length
    const ofPlace = rounds * weight + rest
    return Math.floor(ofPlace / shares) + (owner - (this.firsts[place] ?? 0) < ofPlace % shares ? 1 : 0)
  }
}
