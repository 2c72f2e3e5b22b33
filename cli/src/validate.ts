// `validate`: is the file valid?
import { isPipelineFile, previewOf, readPipeline, readPlan, type PlanReading, type Problem } from '@jolt-gate/core'
import type { Output, ValidateArguments } from './options.js'
import { EXIT, UsageError } from './errors.js'
import { openPlan, type Repository } from './repository.js'

export function validate(files: string[], options: ValidateArguments, output: Output): number {
  let errors = 0
  for (const file of files) {
    if (isPipelineFile(file)) {
      const { text, path, repository } = openPlan(file)
      errors += told(readPipeline(path, text, repository.read), file, output)
      continue
    }
    const { reading } = readPlanFile(file, options)
    errors += told(reading, file, output)
    if (reading.hasErrors) continue
    for (const warning of previewOf(reading.plan).warnings)
      process.stderr.write(`${reading.plan.file}:${String(warning.line)}: warning: ${warning.message}\n`)
  }
  return errors === 0 ? EXIT.ok : EXIT.usage
}

/** Tells what was found in a file; how many errors that was. */
function told({ problems }: { problems: readonly Problem[] }, file: string, output: Output): number {
  for (const problem of problems) process.stderr.write(`${lineOf(problem)}\n`)
  const errors = problems.filter(({ severity }) => severity === 'error').length
  if (errors === 0 && !output.quiet) process.stdout.write(`${file}: valid\n`)
  return errors
}

interface Asked {
  target?: string | undefined
  set?: Record<string, string>
}

/** A plan as it was read, with its text and the texts that it was read with. */
export interface PlanRead {
  reading: PlanReading
  repository: Repository
  text: string
  texts: Readonly<Record<string, string>>
}

/** Reads a plan with its repository. */
export function readPlanFile(file: string, { target, set = {} }: Asked): PlanRead {
  const { text, path, repository } = openPlan(file)
  const texts: Record<string, string> = {}
  const files = (other: string) => {
    const found = repository.read(other)
    if (found !== undefined) texts[other] = found
    return found
  }
  return { reading: readPlan(path, text, { files, target, set }), repository, text, texts }
}

/** Reads the text of a plan that must be valid and is in no repository. */
export function readValidText(name: string, text: string): PlanReading {
  const reading = readPlan(name, text, { files: () => undefined })
  if (reading.hasErrors)
    throw new UsageError(reading.problems.map((problem) => `${name}: ${problem.message}`).join('\n'))
  return reading
}

/** Reads a plan that must be valid; its problems are the message otherwise. */
export function readValidPlan(file: string, asked: Asked): PlanRead {
  const read = readPlanFile(file, asked)
  if (read.reading.hasErrors) throw new UsageError(read.reading.problems.map(lineOf).join('\n'))
  return read
}

export function lineOf(problem: Problem): string {
  return `${problem.file}:${String(problem.line)}:${String(problem.column)}: ${problem.severity}: ${problem.message}`
}
