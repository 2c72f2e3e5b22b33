// A line with one bend: where a figure stops growing with another.

export interface Breakpoint {
  /** Where it bends. */
  at: number
  /** Other places of the bend that the data allow as well. */
  interval: [low: number, high: number]
  slopeBefore: number
  slopeAfter: number
  /** How likely so much a better fit than one line's is by chance. */
  p: number
}

/** Places of the bend that are tried. */
const TRIED = 60
const SHUFFLES = 199
/** Square of the 97.5 % point of the normal law: one place more or less, at 95 %. */
const CHI_SQUARE_95 = 3.841

/**
 * Fits y = a + b·x + c·max(0, x − bend) by least squares, the bend by search, and tests it against one line.
 *
 * Since the place of the bend is chosen by the data, no table holds the test: the residuals of the one line are drawn
 * anew, and the best bend is sought again in each draw.
 *
 * Sources: V. M. R. Muggeo, "Estimating regression models with unknown break-points", 2003; R. B. Davies, "Hypothesis
 * testing when a nuisance parameter is present only under the alternative", 1987; the draws: B. Efron, 1979.
 *
 * @param random - uniform draws from 0 to 1
 * @returns undefined where x has no room for a bend, or there are fewer than twelve points
 */
export function breakpointOf(x: readonly number[], y: readonly number[], random: () => number): Breakpoint | undefined {
  const n = x.length
  if (n < 12) return undefined
  const sorted = x.toSorted((a, b) => a - b)
  const [from = 0, to = 0] = [sorted[Math.floor(0.15 * n)], sorted[Math.ceil(0.85 * n) - 1]]
  if (to - from < 1e-9) return undefined
  const bends = Array.from({ length: TRIED }, (_, index) => from + ((to - from) * index) / (TRIED - 1))
  const designs = bends.map((bend) => designOf(x, bend))
  const line = designOf(x, undefined)
  const straight = fit(line, y)
  const fits = designs.map((design) => fit(design, y))
  const best = fits.reduce((least, { rss }, index) => (rss < (fits[least]?.rss ?? Infinity) ? index : least), 0)
  const { rss, coefficients } = fits[best] ?? straight
  const gain = straight.rss - rss
  // A draw is the one line and residuals: what columns take of the line, its own two take already. And all models share
  // these two, so that each bend takes what its own column does.
  const bendColumns = designs.map(({ columns }) => columns[2] ?? [])
  let asGood = 0
  for (let shuffle = 0; shuffle < SHUFFLES; shuffle++) {
    const drawn = Float64Array.from(
      straight.residuals,
      () => (straight.residuals[Math.floor(random() * n)] ?? 0) * Math.sqrt(n / (n - 2)),
    )
    const plain = dot(drawn, drawn) - line.columns.reduce((sum, column) => sum + dot(column, drawn) ** 2, 0)
    const bent = plain - Math.max(...bendColumns.map((column) => dot(column, drawn) ** 2))
    if ((plain - bent) / Math.max(bent, 1e-12) >= gain / Math.max(rss, 1e-12)) asGood++
  }
  const limit = rss * (1 + CHI_SQUARE_95 / (n - 4))
  const allowed = bends.filter((_, index) => (fits[index]?.rss ?? Infinity) <= limit)
  const [, slopeBefore = 0, bent = 0] = coefficients
  return {
    at: bends[best] ?? from,
    interval: [allowed[0] ?? from, allowed.at(-1) ?? to],
    slopeBefore,
    slopeAfter: slopeBefore + bent,
    p: (asGood + 1) / (SHUFFLES + 1),
  }
}

/** Orthonormal columns of a model, and what turns their weights into coefficients again. */
interface Design {
  columns: Float64Array[]
  /** Upper triangle of Gram and Schmidt, by column. */
  triangle: number[][]
}

function designOf(x: readonly number[], bend: number | undefined): Design {
  const raw = [x.map(() => 1), [...x], ...(bend === undefined ? [] : [x.map((value) => Math.max(0, value - bend))])]
  const columns: Float64Array[] = []
  const triangle: number[][] = []
  for (const column of raw) {
    let rest = column
    const parts: number[] = []
    for (const one of columns) {
      const part = dot(one, rest)
      parts.push(part)
      rest = rest.map((value, index) => value - part * (one[index] ?? 0))
    }
    const length = Math.sqrt(dot(rest, rest))
    parts.push(length)
    columns.push(Float64Array.from(rest, (value) => (length < 1e-9 ? 0 : value / length)))
    triangle.push(parts)
  }
  return { columns, triangle }
}

function fit({ columns, triangle }: Design, y: readonly number[]) {
  const weights = columns.map((column) => dot(column, y))
  const fitted = y.map((_, index) =>
    columns.reduce((sum, column, number) => sum + (weights[number] ?? 0) * (column[index] ?? 0), 0),
  )
  const residuals = y.map((value, index) => value - (fitted[index] ?? 0))
  const coefficients = new Array<number>(columns.length).fill(0)
  for (let row = columns.length - 1; row >= 0; row--) {
    let rest = weights[row] ?? 0
    for (let column = row + 1; column < columns.length; column++)
      rest -= (triangle[column]?.[row] ?? 0) * (coefficients[column] ?? 0)
    const length = triangle[row]?.[row] ?? 0
    coefficients[row] = length < 1e-9 ? 0 : rest / length
  }
  return { fitted, residuals, coefficients, rss: dot(residuals, residuals) }
}

type Values = readonly number[] | Float64Array

function dot(one: Values, other: Values): number {
  let sum = 0
  for (let index = 0; index < one.length; index++) sum += (one[index] ?? 0) * (other[index] ?? 0)
  return sum
}
