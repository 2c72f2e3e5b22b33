// Rows of a data file, thousands of values in one text: an object for each of a million rows would cost several times
// as much, and again in every thread.
import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import type { DataRows, Plan } from './model.js'

const NO_ROWS: DataRows = { count: 0, columns: 0, texts: [], ends: new Uint32Array(), isJson: false }
/** How many values a text holds: each part of one costs as an object until it is put together. */
const VALUES_OF_TEXT = 10_000

/** Collects rows as they are read. */
export class DataRowsWriter {
  private parts: string[] = []
  private readonly texts: string[] = []
  private ends = new Uint32Array(1024)
  private values = 0
  /** Of the text that is not put together yet. */
  private length = 0

  /** @param columns - of every row */
  constructor(
    private readonly columns: number,
    private readonly isJson: boolean,
  ) {}

  /** Adds the next value; a row has as many as there are columns. */
  add(value: string): void {
    if (this.values === this.ends.length) {
      const ends = new Uint32Array(2 * this.values)
      ends.set(this.ends)
      this.ends = ends
    }
    this.length += value.length
    this.ends[this.values++] = this.length
    this.parts.push(value)
    if (this.parts.length === VALUES_OF_TEXT) this.putTogether()
  }

  rows(): DataRows {
    if (this.parts.length > 0) this.putTogether()
    return {
      count: this.columns === 0 ? 0 : this.values / this.columns,
      columns: this.columns,
      texts: this.texts,
      ends: this.ends.slice(0, this.values),
      isJson: this.isJson,
    }
  }

  private putTogether(): void {
    this.texts.push(this.parts.join(''))
    this.parts = []
    this.length = 0
  }
}

/** A value of a row; undefined where there is no such row or column. */
export function rowValue(rows: DataRows, row: number, column: number): Json | undefined {
  const { count, columns, texts, ends, isJson } = rows
  if (!(row >= 0 && row < count && column >= 0 && column < columns)) return undefined
  const at = row * columns + column
  const from = at % VALUES_OF_TEXT === 0 ? 0 : ends[at - 1]
  const value = texts[Math.floor(at / VALUES_OF_TEXT)]?.slice(from, ends[at]) ?? ''
  return isJson ? parseJson(value) : value
}

/** The first rows, with all their values. */
export const firstRows = (rows: DataRows, most: number): Json[][] =>
  Array.from({ length: Math.min(most, rows.count) }, (_, row) =>
    Array.from({ length: rows.columns }, (_, column) => rowValue(rows, row, column) ?? null),
  )

/** A plan as it is stored: its rows stay in their files. */
export const withoutRows = (plan: Plan): Plan => ({
  ...plan,
  data: plan.data.map((data) => ({ ...data, rows: NO_ROWS })),
})
