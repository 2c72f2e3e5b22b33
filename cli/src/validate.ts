// `check`: is the file right?
import { previewOf, readPlan, type PlanReading, type Problem } from '@jolt-gate/core'
import type { Output } from './main.js'
import { EXIT, UsageError } from './errors.js'
import { openPlan, type Repository } from './repository.js'

export function check(files: string[], options: { target?: string }, output: Output): number {
  let errors = 0
  for (const file of files) {
    const { reading } = readPlanFile(file, options.target)
    for (const problem of reading.problems) process.stderr.write(`${lineOf(problem)}\n`)
    errors += reading.problems.filter((problem) => problem.severity === 'error').length
    if (reading.hasErrors) continue
    for (const warning of previewOf(reading.plan).warnings)
      process.stderr.write(`${reading.plan.file}:${String(warning.line)}: warning: ${warning.message}\n`)
    if (!output.quiet) process.stdout.write(`${file}: right\n`)
  }
  return errors === 0 ? EXIT.ok : EXIT.usage
}

/** Reads a plan with its repository. */
export function readPlanFile(
  file: string,
  target: string | undefined,
): { reading: PlanReading; repository: Repository } {
  const { text, path, repository } = openPlan(file)
  return { reading: readPlan(path, text, { files: repository.read, target }), repository }
}

/** Reads the text of a plan that must be right and stands in no repository. */
export function readRightText(name: string, text: string): PlanReading {
  const reading = readPlan(name, text, { files: () => undefined })
  if (reading.hasErrors)
    throw new UsageError(reading.problems.map((problem) => `${name}: ${problem.message}`).join('\n'))
  return reading
}

/** Reads a plan that must be right; its problems are the message otherwise. */
export function readRightPlan(
  file: string,
  target: string | undefined,
): { reading: PlanReading; repository: Repository } {
  const read = readPlanFile(file, target)
  if (read.reading.hasErrors) throw new UsageError(read.reading.problems.map(lineOf).join('\n'))
  return read
}

export function lineOf(problem: Problem): string {
  return `${problem.file}:${String(problem.line)}:${String(problem.column)}: ${problem.severity}: ${problem.message}`
}
