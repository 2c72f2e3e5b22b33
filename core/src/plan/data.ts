// Data files: CSV with a header row (RFC 4180), or JSON Lines; by a library and by JSON itself.
import Papa from 'papaparse'
import type { Node } from 'yaml'
import { parseJson } from '../language/json-path.js'
import type { Json } from '../language/sentences.js'
import { checkValueName, fileTextAt, readWord, type FileReader } from './context.js'
import { offsetOf, placeOf, readEntries, readFields, readText } from './fields.js'
import type { DataSet } from './model.js'
import type { Source } from './source.js'

const MOST_ROWS = 1_000_000

/** A fault of a data file: a line of it, from 1, and what is wrong there. */
export interface DataFault {
  line: number
  message: string
}
type Table = { ok: true; columns: string[]; rows: Json[][] } | { ok: false; fault: DataFault }

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
  const { data, errors } = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), {
    skipEmptyLines: 'greedy',
    delimiter: ',',
  })
  const [error] = errors
  if (error !== undefined) return fault((error.row ?? 0) + 1, `this is not CSV: ${error.message}`)
  const [header, ...rows] = data
  if (header === undefined) return fault(1, 'the file is empty: its first row names the columns')
  const columns = header.map((column) => column.trim())
  const odd = columns.find((column, index) => column === '' || columns.indexOf(column) !== index)
  if (odd !== undefined) return fault(1, odd === '' ? 'a column has no name' : `two columns are called "${odd}"`)
  const short = rows.findIndex((row) => row.length !== columns.length)
  if (short >= 0)
    return fault(
      short + 2,
      `this row has ${String(rows[short]?.length ?? 0)} fields, and the header names ${String(columns.length)}`,
    )
  return bounded(columns, rows)
}

/** Reads JSON Lines: an object a line; the columns are the names of all of them. */
export function parseJsonLines(text: string): Table {
  const objects: Record<string, Json>[] = []
  for (const [index, line] of text
    .replace(/^\ufeff/, '')
    .split(/\r?\n/)
    .entries()) {
    if (line.trim() === '') continue
    const value = parseJson(line)
    if (value === undefined || value === null || typeof value !== 'object' || Array.isArray(value))
      return fault(index + 1, 'this line is not a JSON object')
    objects.push(value)
  }
  const columns = [...new Set(objects.flatMap((object) => Object.keys(object)))]
  return bounded(
    columns,
    objects.map((object) => columns.map((column) => object[column] ?? null)),
  )
}

function bounded(columns: string[], rows: Json[][]): Table {
  if (rows.length === 0) return fault(2, 'the file has no rows')
  if (rows.length > MOST_ROWS) return fault(MOST_ROWS + 2, `more than ${String(MOST_ROWS)} rows`)
  return { ok: true, columns, rows }
}

const fault = (line: number, message: string): Table => ({ ok: false, fault: { line, message } })
