// Secrets come from a store, the environment or files, and are never printed.
import type { Target } from '@jolt-gate/core'
import { LEAST_SECRET } from './mask.js'

/** The variable of the environment that a secret is taken from. */
export const variableOf = (secret: string): string => `JOLT_SECRET_${secret.toUpperCase()}`
/** The variable that names a file with the value: container platforms mount secrets so. */
export const fileVariableOf = (secret: string): string => `${variableOf(secret)}_FILE`

export type Secrets =
  | { kind: 'found'; values: Record<string, string> }
  | { kind: 'missing'; variables: string[] }
  /** Too short to be masked wherever it shows. */
  | { kind: 'short'; variables: string[] }

export interface SecretSources {
  environment: Readonly<Record<string, string | undefined>>
  /** Values by name that go before those of the environment. */
  stored?: Readonly<Record<string, string>>
  /** Reads the file that a variable names; files go after the environment's own values. */
  readFile?: (path: string) => string
}

/**
 * The values of a target's secrets, or the variables that would have to be set.
 *
 * @param from - the environment, what is stored here, and how a file is read that a variable names
 */
export function secretsOf(target: Target, { environment, stored = {}, readFile }: SecretSources): Secrets {
  const values: Record<string, string> = {}
  const missing: string[] = []
  for (const name of target.secrets) {
    const path = environment[fileVariableOf(name)]
    const inFile = path === undefined || readFile === undefined ? undefined : () => withoutNewline(readFile(path))
    const value = stored[name] ?? environment[variableOf(name)] ?? inFile?.()
    if (value === undefined) missing.push(variableOf(name))
    else values[name] = value
  }
  if (missing.length > 0) return { kind: 'missing', variables: missing }
  const short = Object.entries(values).flatMap(([name, value]) =>
    value.length < LEAST_SECRET ? [variableOf(name)] : [],
  )
  return short.length > 0 ? { kind: 'short', variables: short } : { kind: 'found', values }
}

/** Editors end a file with a newline, which is no part of the secret. */
const withoutNewline = (text: string): string => text.replace(/\r?\n$/, '')
