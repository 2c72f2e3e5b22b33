// Reports to files; - is standard output.
import { mkdirSync, writeFileSync } from 'node:fs'
import { dirname } from 'node:path'
import { csvOf, htmlOf, junitOf, markdownOf, type RunResult } from '@jolt-gate/core'
import { UsageError } from './errors.js'

export const REPORTS = ['json', 'junit', 'markdown', 'html', 'csv'] as const
type ReportName = (typeof REPORTS)[number]
export type ReportTargets = Partial<Record<ReportName, string | undefined>>

const WRITERS: Record<ReportName, (result: RunResult) => string> = {
  json: (result) => `${JSON.stringify(result, null, 2)}\n`,
  junit: junitOf,
  markdown: markdownOf,
  html: htmlOf,
  csv: csvOf,
}

/**
 * Writes each report that was asked for. One that cannot be written keeps nothing else from being told.
 *
 * @returns what went wrong, in words
 */
export function writeReports(result: RunResult, targets: ReportTargets): string[] {
  return REPORTS.flatMap((name) => {
    const file = targets[name]
    if (file === undefined) return []
    try {
      writeReport(file, WRITERS[name](result))
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

/** Refuses, before anything is sent, two reports on standard output and files that cannot be written. */
export function checkReports(targets: ReportTargets): void {
  const files = REPORTS.flatMap((name) => targets[name] ?? [])
  if (files.filter((file) => file === '-').length > 1) throw new UsageError('only one report can go to standard output')
  for (const file of files) {
    if (file === '-') continue
    try {
      mkdirSync(dirname(file), { recursive: true })
      writeFileSync(file, '', { flag: 'a' })
    } catch (error) {
      throw new UsageError(`${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
}
