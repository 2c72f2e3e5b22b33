// The kinds of a generated value, each with the options that it has.

export const VALUE_KINDS = [
  { kind: 'whole', label: 'Whole number', options: [] },
  { kind: 'decimal', label: 'Decimal number', options: [] },
  { kind: 'normal', label: 'Normally distributed number', options: [] },
  { kind: 'pick', label: 'One of several', options: [] },
  { kind: 'list', label: 'Each of several in turn', options: ['take'] },
  { kind: 'date', label: 'Date', options: ['format', 'zone'] },
  { kind: 'uuid', label: 'UUID', options: [] },
  { kind: 'pattern', label: 'Text of a pattern', options: [] },
  { kind: 'text', label: 'Random letters', options: [] },
] as const satisfies readonly { kind: string; label: string; options: readonly string[] }[]

/** Options of every kind. */
const COMMON = ['lasts']

/** The kind of a value by the keys that stand there. */
export const valueKindOf = (keys: readonly string[]) => VALUE_KINDS.find(({ kind }) => keys.includes(kind))

/** Whether a key may stand beside a kind. */
export function isOptionOf(key: string, kind: (typeof VALUE_KINDS)[number] | undefined): boolean {
  const options: readonly string[] = kind?.options ?? []
  return COMMON.includes(key) || options.includes(key)
}
