// Data files: CSV with a header row (RFC 4180), or JSON Lines; by a library and by JSON itself.
import Papa from 'papaparse'
import type { Node } from 'yaml'
import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import { checkValueName, fileTextAt, readWord, type FileReader } from './context.js'
import { offsetOf, placeOf, readEntries, readFields, readText } from './fields.js'
import type { DataRows, DataSet } from './model.js'
import { DataRowsWriter } from './rows.js'
import type { Source } from './source.js'

const MOST_ROWS = 1_000_000
const NO_ROW = 'the file has no rows'

/** A fault of a data file: a line of it, from 1, and what is wrong there. */
export interface DataFault {
  line: number
  message: string
}
type Table = { ok: true; columns: string[]; rows: DataRows } | { ok: false; fault: DataFault }

export function readData(context: { source: Source; files: FileReader }, node: Node | null): DataSet[] {
  const { source } = context
  return [...readEntries(source, node, 'data')].flatMap(([name, field]): DataSet[] => {
    checkValueName(source, field, name)
    const fields = readFields(source, field.value, `the data ${name}`, 'data')
    const fileField = fields.get('file')
    const file = readText(source, fileField, 'file')
    const take = readWord(source, fields.get('take'), 'take', ['in turn', 'at random', 'once each']) ?? 'in turn'
    const then = readWord(source, fields.get('then'), 'then', ['again', 'stop']) ?? 'void'
    if (fields.has('then') && take !== 'once each')
      source.report(offsetOf(fields.get('then')?.key ?? null), 'TAKE', '"then" needs take: once each')
    if (file === undefined || fileField === undefined) {
      if (!fields.has('file'))
        source.report(offsetOf(field.key), 'MISSING_KEY', `the data ${name} has no file: add file: rows.csv`)
      return []
    }
    const at = offsetOf(fileField.value)
    const text = fileTextAt(context, at, file)
    if (text === undefined) return []
    const table = file.endsWith('.jsonl') || file.endsWith('.ndjson') ? parseJsonLines(text) : parseCsv(text)
    if (!table.ok) {
      source.problems.push({
        severity: 'error',
        code: 'DATA',
        message: table.fault.message,
        file,
        line: table.fault.line,
        column: 1,
      })
      return []
    }
    return [{ name, file, take, then, columns: table.columns, rows: table.rows, at: placeOf(source, field.key) }]
  })
}

/** Reads CSV: a header row, then rows of as many fields; every field is text. */
export function parseCsv(text: string): Table {
  let columns: string[] | undefined
  let rows: DataRowsWriter | undefined
  let count = 0
  let found: Table | undefined
  const take = (row: string[]): Table | undefined => {
    if (columns === undefined || rows === undefined) {
      columns = row.map((column) => column.trim())
      rows = new DataRowsWriter(columns.length, false)
      return headerFault(columns)
    }
    if (++count > MOST_ROWS) return TOO_MANY
    if (row.length !== columns.length)
      return fault(
        count + 1,
        `this row has ${String(row.length)} fields, and the header names ${String(columns.length)}`,
      )
    for (const field of row) rows.add(field)
    return undefined
  }
  Papa.parse<string[]>(text.replace(/^\ufeff/, ''), {
    skipEmptyLines: 'greedy',
    delimiter: ',',
    // A row at a time: a file with too many is left there.
    step: ({ data, errors: [error] }, parser) => {
      found =
        error === undefined
          ? take(data)
          : fault(count + (columns === undefined ? 1 : 2), `this is not CSV: ${error.message}`)
      if (found !== undefined) parser.abort()
    },
  })
  if (found !== undefined) return found
  if (columns === undefined || rows === undefined) return fault(1, 'the file is empty: its first row names the columns')
  return count === 0 ? fault(2, NO_ROW) : { ok: true, columns, rows: rows.rows() }
}

function headerFault(columns: readonly string[]): Table | undefined {
  const odd = columns.find((column, index) => column === '' || columns.indexOf(column) !== index)
  if (odd === undefined) return undefined
  return fault(1, odd === '' ? 'a column has no name' : `two columns are called "${odd}"`)
}

/** Reads JSON Lines: an object a line; the columns are the names of all of them. */
export function parseJsonLines(text: string): Table {
  const columns = new Set<string>()
  let count = 0
  for (const [number, line] of linesOf(text)) {
    const value = objectOf(line)
    if (value === undefined) return fault(number, 'this line is not a JSON object')
    if (++count > MOST_ROWS) return TOO_MANY
    for (const column of Object.keys(value)) columns.add(column)
  }
  if (count === 0) return fault(2, NO_ROW)
  const rows = new DataRowsWriter(columns.size, true)
  for (const [, line] of linesOf(text)) {
    const value = objectOf(line)
    for (const column of columns) rows.add(JSON.stringify(value?.[column] ?? null))
  }
  return { ok: true, columns: [...columns], rows: rows.rows() }
}

/** Lines with something on them, by their numbers: one at a time, or each would cost as an object. */
function* linesOf(text: string): Generator<[number: number, line: string]> {
  let number = 0
  for (let from = text.startsWith('\ufeff') ? 1 : 0; from < text.length;) {
    const end = text.indexOf('\n', from)
    const line = text.slice(from, end < 0 ? text.length : end)
    number++
    if (line.trim() !== '') yield [number, line]
    if (end < 0) return
    from = end + 1
  }
}

function objectOf(line: string): Record<string, Json> | undefined {
  const value = parseJson(line)
  return value === undefined || value === null || typeof value !== 'object' || Array.isArray(value) ? undefined : value
}

const fault = (line: number, message: string): Table => ({ ok: false, fault: { line, message } })
const TOO_MANY = fault(MOST_ROWS + 2, `more than ${String(MOST_ROWS)} rows`)
