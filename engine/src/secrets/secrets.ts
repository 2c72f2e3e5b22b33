// Secrets come from a store or the environment, and are never printed.
import type { Target } from '@jolt-gate/core'
import { LEAST_SECRET } from './mask.js'

export const variableOf = (secret: string): string => `JOLT_SECRET_${secret.toUpperCase()}`

export type Secrets =
  | { kind: 'found'; values: Record<string, string> }
  | { kind: 'missing'; variables: string[] }
  /** Too short to be masked wherever it shows. */
  | { kind: 'short'; variables: string[] }

/**
 * The values of a target's secrets, or the variables that would have to be set.
 *
 * @param stored - values by name that go before those of the environment
 */
export function secretsOf(
  target: Target,
  environment: Readonly<Record<string, string | undefined>>,
  stored: Readonly<Record<string, string>> = {},
): Secrets {
  const values: Record<string, string> = {}
  const missing: string[] = []
  for (const name of target.secrets) {
    const value = stored[name] ?? environment[variableOf(name)]
    if (value === undefined) missing.push(variableOf(name))
    else values[name] = value
  }
  if (missing.length > 0) return { kind: 'missing', variables: missing }
  const short = Object.entries(values).flatMap(([name, value]) =>
    value.length < LEAST_SECRET ? [variableOf(name)] : [],
  )
  return short.length > 0 ? { kind: 'short', variables: short } : { kind: 'found', values }
}
