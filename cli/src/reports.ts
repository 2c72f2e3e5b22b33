// Reports to files; - is standard output.
import {
  lstatSync,
  mkdirSync,
  readlinkSync,
  realpathSync,
  renameSync,
  rmSync,
  statSync,
  writeFileSync,
  type Stats,
} from 'node:fs'
import { dirname, join, resolve } from 'node:path'
import { REPORT_NAMES, REPORTS, type Reported, type ReportName, type RunResult } from '@jolt-gate/core'
import { UsageError } from './errors.js'

/** One report: of one plan by its place, or of all that were run. */
interface Report {
  file: string
  of: number | 'all'
  write: (results: readonly RunResult[], reported: Reported) => string
}
export type Reports = readonly Report[]

/** The reports that are asked for: by their options, and by `--out` for a folder with all of them. */
export function reportsFor(
  files: readonly string[],
  options: Partial<Record<ReportName, string | undefined>> & { out?: string },
): Reports {
  const { out } = options
  const named = REPORT_NAMES.flatMap((name) => {
    const file = options[name]
    if (file === undefined) return []
    if (REPORTS[name].of === 'each' && files.length > 1)
      throw new UsageError(`--${name} is for one plan: --out FOLDER keeps it of each`)
    return [reportTo(file, name, 0)]
  })
  if (out === undefined) return named
  const all = REPORT_NAMES.flatMap((name) => {
    const kind = REPORTS[name]
    if (kind.of === 'all') return [reportTo(join(out, kind.file), name, 0)]
    return namesOf(files).map((plan, index) => reportTo(join(out, `${plan}.${kind.ending}`), name, index))
  })
  return [...named, ...all]
}

function reportTo(file: string, name: ReportName, index: number): Report {
  const kind = REPORTS[name]
  if (kind.of === 'all') return { file, of: 'all', write: kind.write }
  const write: Report['write'] = (results) => {
    const result = results[index]
    return result === undefined ? '' : kind.write(result)
  }
  return { file, of: index, write }
}

/** `plans/smoke.gate.yaml` is `plans-smoke`: two plans of one name in two folders stay apart. */
export function nameOf(file: string): string {
  const plain = file.replace(/\.gate\.yaml$/, '').replace(/^https?:\/\//, '')
  return plain.replaceAll(/[^\w.-]+/g, '-').replaceAll(/^[-.]+|-+$/g, '') || 'plan'
}

/** A name for each plan; one that is run twice has two. */
function namesOf(files: readonly string[]): string[] {
  const seen = new Map<string, number>()
  return files.map(nameOf).map((name) => {
    const times = (seen.get(name) ?? 0) + 1
    seen.set(name, times)
    return times === 1 ? name : `${name}-${String(times)}`
  })
}

/**
 * Writes each report that has something to say. One that cannot be written keeps nothing else from being told.
 *
 * @returns what went wrong, in words
 */
export function writeReports(
  reports: Reports,
  results: readonly RunResult[],
  reported: Reported,
  which: 'files' | 'all',
): string[] {
  return reports.flatMap(({ file, of, write }) => {
    if ((which === 'files' && file === '-') || (of !== 'all' && of >= results.length)) return []
    try {
      writeReport(file, write(results, reported))
      return []
    } catch (error) {
      return [`${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`]
    }
  })
}

/** Writes a report aside and puts it in its place when it is whole: a full disk leaves none half written. */
export function writeReport(file: string, content: string): void {
  if (file === '-') {
    process.stdout.write(content)
    return
  }
  mkdirSync(dirname(file), { recursive: true })
  const there = statSync(file, { throwIfNoEntry: false })
  if (isDevice(there)) {
    writeFileSync(file, content)
    return
  }
  const place = placeOf(file)
  const aside = `${place}.part`
  try {
    writeFileSync(aside, content)
    renameSync(aside, place)
  } catch (error) {
    rmSync(aside, { force: true })
    throw error
  }
}

/** Where a report is written: a link stays one, also one whose file is not there yet. */
function placeOf(file: string): string {
  const isLink = lstatSync(file, { throwIfNoEntry: false })?.isSymbolicLink() === true
  return isLink ? resolve(realpathSync(dirname(file)), readlinkSync(file)) : file
}

/** What is no file, such as a pipe, has no beside. */
const isDevice = (there: Stats | undefined): boolean => there?.isFile() === false && !there.isDirectory()

/** Plans that were not run leave no reports. */
export function removeUnwritten(reports: Reports, ran: number): void {
  for (const { file, of } of reports) if (of !== 'all' && of >= ran) rmSync(file, { force: true })
}

/** Refuses a folder that cannot be made, before anything else is done; it is made when something is put there. */
export function checkFolder(folder: string): void {
  try {
    const made = mkdirSync(folder, { recursive: true })
    if (made !== undefined) rmSync(made, { recursive: true })
  } catch (error) {
    throw new UsageError(`--out ${folder} cannot be made: ${error instanceof Error ? error.message : String(error)}`)
  }
}

/** Refuses, before anything is sent, two reports on standard output and files that cannot be written. */
export function checkReports(reports: Reports): void {
  const files = reports.map(({ file }) => file)
  if (files.filter((file) => file === '-').length > 1) throw new UsageError('only one report can go to standard output')
  for (const file of files) {
    if (file === '-') continue
    try {
      // A report of an earlier run must not be taken for one of this.
      if (isDevice(statSync(file, { throwIfNoEntry: false }))) continue
      writeReport(file, '')
      rmSync(placeOf(file))
    } catch (error) {
      throw new UsageError(`${file} cannot be written: ${error instanceof Error ? error.message : String(error)}`)
    }
  }
}
