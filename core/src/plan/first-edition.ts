// Words of the first edition of the format, each with its successor: for errors that name it, and for `validate --fix`.
import type { ContextName } from './vocabulary.js'

/** Keys that were renamed, by the map they stand in. */
export const RENAMED_KEYS: Partial<Record<ContextName, Readonly<Record<string, string>>>> = {
  journey: { share: 'weight' },
  option: { share: 'weight' },
  send: { sign: 'auth' },
  phase: { passes: 'iterations' },
  value: { per: 'lasts' },
  target: { probes: 'metrics' },
}

/** Step kinds that were renamed. */
export const RENAMED_STEPS: Readonly<Record<string, string>> = { together: 'parallel' }

/** Single words under a key that were renamed. */
export const RENAMED_WORDS: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'on failure': { 'go on': 'continue', 'end pass': 'end iteration' },
  lasts: { pass: 'iteration' },
  per: { pass: 'iteration' },
}

/** Names of values that were renamed. */
export const RENAMED_NAMES: Readonly<Record<string, string>> = { 'user.pass': 'user.iteration' }

/** Keys whose values are written in another way now; the text says how. */
export const REPLACED_KEYS: Partial<Record<ContextName, Readonly<Record<string, string>>>> = {
  value: { weights: 'weights stand in pick itself: pick: { adult: 6, child: 3 }' },
  target: { network: 'write the address under "local address": local address: 127.0.0.2' },
}

/** A sentence in today's words; the same text where it has no word of the first edition. */
export function renewGate(sentence: string): string {
  return sentence
    .replace(/^(\s*)turned away(?![A-Za-z0-9_])/, '$1capped arrivals')
    .replace(/^(\s*\S+\s+)probe(?=\s+")/, '$1metric')
}

/** A stop rule in today's words; undefined where it is none of the first edition. */
export function renewStop(text: string): string | undefined {
  if (text.trim() === 'at once') return 'after 1 breached second'
  const [, amount, unit = ''] = /^\s*after\s+(\d+)\s*(s|min|m)\s*$/.exec(text) ?? []
  if (amount === undefined) return undefined
  const seconds = Number(amount) * (unit === 's' ? 1 : 60)
  return `after ${String(seconds)} breached ${seconds === 1 ? 'second' : 'seconds'} in a row`
}

/** A pattern of the first edition (`#` a digit, `@` a capital letter) as an I-Regexp; undefined where it is none. */
export function renewPattern(pattern: string): string | undefined {
  if (!/[#@]/.test(pattern) || /[[\]{}()|*+?\\.]/.test(pattern)) return undefined
  return pattern.replaceAll(/#+|@+/g, (run) => {
    const set = run.startsWith('#') ? '[0-9]' : '[A-Z]'
    return run.length === 1 ? set : `${set}{${String(run.length)}}`
  })
}
