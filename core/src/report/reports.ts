// The reports of a result: each is one entry that holds how it is written, and how its file is called in a folder.
import type { RunResult } from '../judge/result-schema.js'
import { csvOf } from './csv.js'
import { htmlOf } from './html.js'
import { junitOf, type Reported } from './junit.js'
import { markdownOf } from './markdown.js'

/** A report of one plan, or one of all that were run. */
type ReportKind =
  | { of: 'each'; ending: string; write: (result: RunResult) => string }
  | { of: 'all'; file: string; write: (results: readonly RunResult[], reported: Reported) => string }

const KINDS = {
  json: { of: 'each', ending: 'json', write: (result) => `${JSON.stringify(result, null, 2)}\n` },
  junit: { of: 'all', file: 'junit.xml', write: junitOf },
  markdown: {
    of: 'all',
    file: 'summary.md',
    write: (results, { notRun = [] }) =>
      [...results.map(markdownOf), ...notRun.map((plan) => `Not run: ${plan}\n`)].join('\n'),
  },
  html: { of: 'each', ending: 'html', write: htmlOf },
  csv: { of: 'each', ending: 'csv', write: csvOf },
} satisfies Record<string, ReportKind>

export type ReportName = keyof typeof KINDS

export const REPORTS: Readonly<Record<ReportName, ReportKind>> = KINDS
export const REPORT_NAMES: readonly ReportName[] = ['json', 'junit', 'markdown', 'html', 'csv']

/**
 * One result as a report.
 *
 * @param name - which report
 */
export function reportOf(name: ReportName, result: RunResult): string {
  const kind = REPORTS[name]
  return kind.of === 'each' ? kind.write(result) : kind.write([result], {})
}
