// A result as CSV (RFC 4180): the series, one row a second.
import Papa from 'papaparse'
import type { RunResult } from '../judge/result-schema.js'

/** A text as one field; a spreadsheet takes it for no formula. */
export const csvField = (text: string): string => Papa.unparse([[text]], { escapeFormulae: true })

/** Writes the series of a result; metrics stand in columns of their own. */
export function csvOf({ series }: RunResult): string {
  const metrics = Object.entries(series.metrics)
  const fields = [
    'second',
    'arrivals due',
    'arrivals',
    'users',
    'requests',
    'failed',
    'p50 ms',
    'p95 ms',
    'p99 ms',
    'start lag ms',
    'busy',
    ...metrics.map(([name]) => `metric ${name}`),
  ]
  const data = series.atMs.map((atMs, second) => [
    atMs / 1000,
    series.arrivalsDue[second],
    series.arrivals[second],
    series.users[second],
    series.requests[second],
    series.failed[second],
    series.p50[second],
    series.p95[second],
    series.p99[second],
    series.startLag[second],
    series.busy[second],
    ...metrics.map(([, values]) => values[second]),
  ])
  // A spreadsheet runs a field that begins like a formula; names of metrics are the author's.
  return `${Papa.unparse({ fields, data }, { escapeFormulae: true })}\r\n`
}
