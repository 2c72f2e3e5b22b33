import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, it } from 'vitest'
import { firstRows, parseCsv, parseJsonLines, readPlan, rowValue, withoutRows } from '../src/index.js'

const name = fc.stringMatching(/^[a-z]{1,6}$/)

describe('rows of a data file', () => {
  // RFC 4180; written by the library, which quotes what has to be.
  it('are those of the table that was written as CSV, whatever its fields hold', () => {
    const table = fc.uniqueArray(name, { minLength: 1, maxLength: 4 }).chain((columns) =>
      fc.tuple(
        fc.constant(columns),
        fc.array(fc.array(fc.string({ unit: 'grapheme' }), { minLength: columns.length, maxLength: columns.length }), {
          minLength: 1,
          maxLength: 20,
        }),
      ),
    )
    fc.assert(
      fc.property(table, ([columns, rows]) => {
        // Rows with nothing in them are lines that are left out.
        const filled = rows.map((row, index) => row.map((field) => `${field}#${String(index)}`))
        const read = parseCsv(Papa.unparse([columns, ...filled]))
        expect(read).toMatchObject({ ok: true, columns })
        if (read.ok) expect(firstRows(read.rows, 100)).toEqual(filled)
      }),
    )
  })

  it('are those of JSON Lines, with null where an object lacks a name', () => {
    const read = parseJsonLines('{"a": 1, "b": "ü"}\n\n{"c": [true], "a": {"d": null}}\r\n')

    expect(read).toMatchObject({ ok: true, columns: ['a', 'b', 'c'] })
    if (!read.ok) return
    expect(firstRows(read.rows, 9)).toEqual([
      [1, 'ü', null],
      [{ d: null }, null, [true]],
    ])
    expect([rowValue(read.rows, 2, 0), rowValue(read.rows, -1, 0), rowValue(read.rows, 0, 3)]).toEqual(
      Array(3).fill(undefined),
    )
  })

  it('that are too many are refused where they begin to be, and kept in one text where they are not', () => {
    const table = (count: number) => `n\n${Array.from({ length: count }, (_, index) => String(index)).join('\n')}\n`

    expect(parseCsv(table(1_000_001))).toEqual({
      ok: false,
      fault: { line: 1_000_002, message: 'more than 1000000 rows' },
    })
    const most = parseCsv(table(1_000_000))
    if (!most.ok) throw new Error(most.fault.message)
    expect([most.rows.count, rowValue(most.rows, 999_999, 0)]).toEqual([1_000_000, '999999'])
    expect(most.rows.texts.join('').length + most.rows.ends.byteLength).toBeLessThan(12e6)
  })

  it('are left out of a plan that is stored', () => {
    const text = `jolt: 1\nname: A\ntarget: http://127.0.0.1:9\ndata:\n  p: { file: p.csv }\njourneys:\n  a:\n    steps:\n      - send: GET /{p.n}\nload:\n  - { phase: p, starts: 1, for: 1s }\ngates:\n  - failed requests at most 1 %\n`
    const { plan } = readPlan('a.gate.yaml', text, { files: () => 'n\nsecret-gull\n' })

    expect(plan.data[0]?.rows.count).toBe(1)
    expect(JSON.stringify(withoutRows(plan))).not.toContain('secret-gull')
  })
})
