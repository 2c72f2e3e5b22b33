// The Universal Scalability Law, fitted to what trials measured: how much a service loses where its users wait for one
// another, and where they have to agree.
import { studentQuantile } from '../numbers/student.js'

/** What a load came to: users in the service at once, and passed requests a second. */
export interface LawPoint {
  users: number
  throughput: number
}

export interface LawFigure {
  value: number
  /** At 95 %, not below 0. */
  interval: [low: number, high: number]
}

export interface Law {
  /** Requests a second that one user alone would get. */
  alone: number
  /** Shares of the work that waits for one another (σ), and that is spent on agreeing (κ). */
  contention: LawFigure
  coherency: LawFigure
  /** Share of the variance that it explains. */
  r2: number
  points: number
  /** Users with the highest throughput; null where that lies beyond the data, or there is none. */
  peakUsers: number | null
  /** Why it is not to be relied on; null where it is. */
  warning: string | null
}

/** Three things are estimated; with fewer points a fit is little more than its points. */
const LEAST_POINTS = 4
const FEW_POINTS = 6
const GOOD_R2 = 0.95
const STEPS = 200
type Triple = [number, number, number]

/**
 * Fits X(N) = λN / (1 + σ(N − 1) + κN(N − 1)) by least squares, with σ and κ not below 0.
 *
 * Source: N. J. Gunther, Guerrilla Capacity Planning, Springer 2007, chapters 4 to 6; A Simple Capacity Model of
 * Massively Parallel Transaction Systems, CMG 1993. The steps are those of D. W. Marquardt, SIAM Journal 11 (2), 1963.
 *
 * @returns undefined where there are too few points, or all at one load
 */
export function fitLaw(points: readonly LawPoint[]): Law | undefined {
  const usable = points.filter(({ users, throughput }) => users > 0 && throughput > 0)
  if (new Set(usable.map(({ users }) => users.toPrecision(2))).size < LEAST_POINTS) return undefined
  const fitted = constrained(usable)
  const [alone, contention, coherency] = fitted
  const mean = usable.reduce((sum, { throughput }) => sum + throughput, 0) / usable.length
  const total = usable.reduce((sum, { throughput }) => sum + (throughput - mean) ** 2, 0)
  const rest = squares(usable, fitted)
  const deviations = deviationsOf(usable, fitted, rest)
  const reach = studentQuantile(0.975, usable.length - 3)
  const figure = (value: number, deviation: number): LawFigure => ({
    value,
    interval: [Math.max(0, value - reach * deviation), value + reach * deviation],
  })
  const law = {
    ...{ alone, points: usable.length, r2: total > 0 ? 1 - rest / total : 0 },
    contention: figure(contention, deviations[1]),
    coherency: figure(coherency, deviations[2]),
  }
  const most = Math.max(...usable.map(({ users }) => users))
  const peak = coherency > 0 && contention < 1 ? Math.sqrt((1 - contention) / coherency) : Infinity
  return { ...law, peakUsers: peak <= most ? peak : null, warning: warningOf(law, most) }
}

/** Its throughput with so many users. */
export const throughputBy = ({ alone, contention, coherency }: Law, users: number): number =>
  valueAt([alone, contention.value, coherency.value], users)

function warningOf(law: Pick<Law, 'points' | 'r2' | 'contention'>, mostUsers: number): string | null {
  if (law.points < FEW_POINTS) return `${String(law.points)} trials are few for it`
  if (law.r2 < GOOD_R2) return 'it does not go through what was measured'
  const [low, high] = law.contention.interval
  if (high - low > 0.5) return 'the trials do not tell contention apart from none'
  return mostUsers < 2 ? 'there were never two users in the service at once' : null
}

const valueAt = ([alone, contention, coherency]: Triple, users: number): number =>
  (alone * users) / (1 + contention * (users - 1) + coherency * users * (users - 1))

const squares = (points: readonly LawPoint[], law: Triple): number =>
  points.reduce((sum, { users, throughput }) => sum + (throughput - valueAt(law, users)) ** 2, 0)

/** Where a share would be below 0, it is none, and the others are fitted anew. */
function constrained(points: readonly LawPoint[]): Triple {
  const free: boolean[] = [true, true, true]
  let law = marquardt(points, free)
  for (let round = 0; round < 2; round++) {
    const worst = law[2] < 0 ? 2 : law[1] < 0 ? 1 : undefined
    if (worst === undefined) break
    free[worst] = false
    law = marquardt(points, free)
  }
  return law
}

function marquardt(points: readonly LawPoint[], free: readonly boolean[]): Triple {
  const [first] = points.toSorted((one, other) => one.users - other.users)
  let law: Triple = [first === undefined ? 1 : first.throughput / first.users, free[1] ? 0.01 : 0, free[2] ? 1e-6 : 0]
  let [damping, best] = [1e-3, squares(points, law)]
  for (let step = 0; step < STEPS; step++) {
    const { normal, gradient } = normalEquations(points, law, free)
    const damped = normal.map((row, at) => row.map((value, to) => (at === to ? value * (1 + damping) : value)))
    const move = solved(damped, gradient)
    const next: Triple = [law[0] + (move[0] ?? 0), law[1] + (move[1] ?? 0), law[2] + (move[2] ?? 0)]
    const rest = squares(points, next)
    if (Number.isFinite(rest) && rest <= best && next[0] > 0) {
      const isSettled = best - rest <= 1e-14 * best
      ;[law, best, damping] = [next, rest, Math.max(1e-12, damping / 10)]
      if (isSettled && step > 5) break
    } else damping *= 10
  }
  return law
}

/** JᵀJ and Jᵀr; what is not free keeps still. */
function normalEquations(points: readonly LawPoint[], law: Triple, free: readonly boolean[]) {
  const normal = [0, 1, 2].map(() => [0, 0, 0])
  const gradient = [0, 0, 0]
  for (const { users, throughput } of points) {
    const slopes = slopesAt(law, users)
    const off = throughput - valueAt(law, users)
    for (const at of [0, 1, 2]) {
      const slope = free[at] === true ? (slopes[at] ?? 0) : 0
      gradient[at] = (gradient[at] ?? 0) + slope * off
      for (const to of [0, 1, 2]) {
        const other = free[to] === true ? (slopes[to] ?? 0) : 0
        const row = normal[at]
        if (row !== undefined) row[to] = (row[to] ?? 0) + slope * other
      }
    }
  }
  for (const at of [0, 1, 2]) {
    const row = normal[at]
    if (row !== undefined && free[at] !== true) row[at] = 1
  }
  return { normal, gradient }
}

function slopesAt(law: Triple, users: number): Triple {
  const below = 1 + law[1] * (users - 1) + law[2] * users * (users - 1)
  const value = (law[0] * users) / below
  return [users / below, (-value * (users - 1)) / below, (-value * users * (users - 1)) / below]
}

/** Standard deviations of the three, by the curvature at the fit. */
function deviationsOf(points: readonly LawPoint[], law: Triple, rest: number): Triple {
  const { normal } = normalEquations(points, law, [true, true, true])
  const variance = rest / Math.max(1, points.length - 3)
  const of = (at: number) => {
    const unit = [0, 1, 2].map((one) => (one === at ? 1 : 0))
    return Math.sqrt(Math.max(0, variance * (solved(normal, unit)[at] ?? 0)))
  }
  return [of(0), of(1), of(2)]
}

/** Solves three linear equations by elimination, scaled, since users squared are far from one. */
function solved(matrix: readonly (readonly number[])[], right: readonly number[]): number[] {
  const scale = matrix.map((row, at) => 1 / Math.sqrt(Math.abs(row[at] ?? 0) || 1))
  const rows = matrix.map((row, at) => [
    ...row.map((value, to) => value * (scale[at] ?? 1) * (scale[to] ?? 1)),
    (right[at] ?? 0) * (scale[at] ?? 1),
  ])
  for (let at = 0; at < rows.length; at++) {
    const pivot = rows.slice(at).reduce((best, row, index) => {
      return Math.abs(row[at] ?? 0) > Math.abs(rows[best]?.[at] ?? 0) ? at + index : best
    }, at)
    const [one, other] = [rows[at] ?? [], rows[pivot] ?? []]
    ;[rows[at], rows[pivot]] = [other, one]
    const head = rows[at] ?? []
    const divisor = head[at] ?? 0
    if (Math.abs(divisor) < 1e-14) return right.map(() => 0)
    for (const [index, row] of rows.entries()) {
      if (index === at) continue
      const factor = (row[at] ?? 0) / divisor
      for (let to = at; to < row.length; to++) row[to] = (row[to] ?? 0) - factor * (head[to] ?? 0)
    }
  }
  return rows.map((row, at) => ((row.at(-1) ?? 0) / (row[at] ?? 1)) * (scale[at] ?? 1))
}
