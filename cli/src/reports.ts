// Reports to files; - is standard output.
import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { csvOf, htmlOf, junitOf, markdownOf, type RunResult } from '@jolt-gate/core'
import { UsageError } from './errors.js'

export const REPORTS = ['json', 'junit', 'markdown', 'html', 'csv'] as const
type ReportName = (typeof REPORTS)[number]

/** One report: of one plan by its place, or of all that were run. */
interface Report {
  file: string
  of: number | 'all'
  write: (results: readonly RunResult[], notRun: readonly string[]) => string
}
export type Reports = readonly Report[]

const OF_ONE: Partial<Record<ReportName, (result: RunResult) => string>> = {
  json: (result) => `${JSON.stringify(result, null, 2)}\n`,
  html: htmlOf,
  csv: csvOf,
}
const OF_ALL: Partial<Record<ReportName, Report['write']>> = {
  junit: junitOf,
  markdown: (results, notRun) => [...results.map(markdownOf), ...notRun.map((plan) => `Not run: ${plan}\n`)].join('\n'),
}

/** The reports that are asked for: by their options, and by `--out` for a folder with all of them. */
export function reportsFor(
  files: readonly string[],
  options: Partial<Record<ReportName, string | undefined>> & { out?: string },
): Reports {
  const { out } = options
  const named = REPORTS.flatMap((name) => {
    const file = options[name]
    if (file === undefined) return []
    if (OF_ONE[name] !== undefined && files.length > 1)
      throw new UsageError(`--${name} is for one plan: --out FOLDER keeps it of each`)
    return [reportOf(name, file, 0)]
  })
  if (out === undefined) return named
  const each = files.flatMap((file, index) =>
    (['json', 'html', 'csv'] as const).map((name) => reportOf(name, join(out, `${nameOf(file)}.${name}`), index)),
  )
  return [
    ...named,
    ...each,
    reportOf('junit', join(out, 'junit.xml'), 0),
    reportOf('markdown', join(out, 'summary.md'), 0),
  ]
}

function reportOf(name: ReportName, file: string, index: number): Report {
  const [ofAll, ofOne] = [OF_ALL[name], OF_ONE[name]]
  if (ofAll !== undefined) return { file, of: 'all', write: ofAll }
  const write: Report['write'] = (results) => {
    const result = results[index]
    return result === undefined || ofOne === undefined ? '' : ofOne(result)
  }
  return { file, of: index, write }
}

/** `plans/smoke.gate.yaml` is `plans-smoke`: two plans of one name in two folders stay apart. */
export function nameOf(file: string): string {
  const plain = file.replace(/\.gate\.yaml$/, '').replace(/^https?:\/\//, '')
  return plain.replaceAll(/[^\w.-]+/g, '-').replaceAll(/^[-.]+|-+$/g, '') || 'plan'
}

/**
 * Writes each report that has something to say. One that cannot be written keeps nothing else from being told.
 *
 * @returns what went wrong, in words
 */
export function writeReports(
  reports: Reports,
  results: readonly RunResult[],
  notRun: readonly string[],
  which: 'files' | 'all',
): string[] {
  return reports.flatMap(({ file, of, write }) => {
    if ((which === 'files' && file === '-') || (of !== 'all' && of >= results.length)) return []
    try {
      writeReport(file, write(results, notRun))
      return []
    } catch (error) {
      return [`${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`]
    }
  })
}

export function writeReport(file: string, content: string): void {
  if (file === '-') {
    process.stdout.write(content)
    return
  }
  mkdirSync(dirname(file), { recursive: true })
  writeFileSync(file, content)
}

/** Plans that were not run leave no reports. */
export function removeUnwritten(reports: Reports, ran: number): void {
  for (const { file, of } of reports) if (of !== 'all' && of >= ran) rmSync(file, { force: true })
}

/** Refuses, before anything is sent, two reports on standard output and files that cannot be written. */
export function checkReports(reports: Reports): void {
  const files = reports.map(({ file }) => file)
  if (files.filter((file) => file === '-').length > 1) throw new UsageError('only one report can go to standard output')
  for (const file of files) {
    if (file === '-') continue
    try {
      mkdirSync(dirname(file), { recursive: true })
      // A report of an earlier run must not be taken for one of this.
      writeFileSync(file, '')
    } catch (error) {
      throw new UsageError(`${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
}
