import { readPlan, type Imported } from '@jolt-gate/core'
import { expect } from 'vitest'

/** The plan that was made, which must be right as it is; secrets are given by name. */
export function planOf({ files }: Imported) {
  const texts = new Map(files.map(({ path, text }) => [path, text]))
  const [first] = files
  const reading = readPlan(first?.path ?? '', first?.text ?? '', { files: (path) => texts.get(path) })
  const errors = reading.problems.filter(({ severity }) => severity === 'error')
  expect(errors.map(({ line, message }) => `${String(line)}: ${message}`)).toEqual([])
  return { plan: reading.plan, text: first?.text ?? '' }
}
