// The kinds of phase as people choose them, and how each is written in a plan.
import { nodeAt, textAt, type TreeNode } from '@jolt-gate/core'
import type { QuantityKind } from './quantities.js'

export interface PhaseField {
  /** The field's name in the draft. */
  key: string
  label: string
  placeholder: string
  /** Of a rate or a duration: its unit is chosen. */
  quantity?: QuantityKind
}
export interface PhaseKind {
  kind: string
  label: string
  about: string
  fields: readonly PhaseField[]
  /** The keys of the plan, from the fields. */
  write: (fields: Readonly<Record<string, string>>) => Record<string, string>
}

const length: PhaseField = { key: 'for', label: 'Length', placeholder: '1m', quantity: 'time' }
const or = (text: string | undefined, start: string) => (text === undefined || text.trim() === '' ? start : text.trim())

/** A level that leads from one rate to another in four. */
function levelOf(from: string, to: string): string {
  const [, first, unit = '/s'] = /^([\d.]+)(.*)$/.exec(from) ?? []
  const [, last] = /^([\d.]+)/.exec(to) ?? []
  const by = (Number(last) - Number(first)) / 4
  return by > 0 ? `${String(Math.round(by * 1e6) / 1e6)}${unit}` : '10/s'
}

export const PHASE_KINDS: readonly PhaseKind[] = [
  {
    kind: 'constant',
    label: 'Constant rate',
    about: 'Users arrive at one rate, however slow the target answers.',
    fields: [{ key: 'from', label: 'Rate', placeholder: '5/s', quantity: 'rate' }, length],
    write: ({ from, for: time }) => ({ rate: or(from, '5/s'), for: or(time, '1m') }),
  },
  {
    kind: 'ramp',
    label: 'Ramp',
    about: 'The rate of arrivals grows or falls evenly.',
    fields: [
      { key: 'from', label: 'From', placeholder: '1/s', quantity: 'rate' },
      { key: 'to', label: 'To', placeholder: '10/s', quantity: 'rate' },
      length,
    ],
    write: ({ from, to, for: time }) => ({ rate: `${or(from, '1/s')} to ${or(to, '10/s')}`, for: or(time, '1m') }),
  },
  {
    kind: 'ladder',
    label: 'Ladder',
    about: 'The rate rises by levels, each of the same length.',
    fields: [
      { key: 'from', label: 'From', placeholder: '10/s', quantity: 'rate' },
      { key: 'to', label: 'To', placeholder: '50/s', quantity: 'rate' },
      { key: 'by', label: 'By', placeholder: '10/s', quantity: 'rate' },
      { ...length, label: 'Length of a level' },
    ],
    write: ({ from, to, by, for: time }) => ({
      rate: `${or(from, '10/s')} to ${or(to, '50/s')} by ${or(by, levelOf(or(from, '10/s'), or(to, '50/s')))}`,
      for: or(time, '1m'),
    }),
  },
  {
    kind: 'starts',
    label: 'Number of arrivals',
    about: 'A fixed number of arrivals, spread over the phase.',
    fields: [{ key: 'starts', label: 'Arrivals', placeholder: '300' }, length],
    write: ({ starts, for: time }) => ({ starts: or(starts, '300'), for: or(time, '1m') }),
  },
  {
    kind: 'users',
    label: 'Users',
    about: 'A fixed number of users, each beginning again when done: a slow target gets less load.',
    fields: [
      { key: 'users', label: 'Users', placeholder: '10' },
      length,
      { key: 'spread', label: 'Started over', placeholder: 'at once' },
    ],
    write: ({ users, for: time, spread }) => ({
      users: or(users, '10'),
      for: or(time, '1m'),
      ...(or(spread, '') === '' ? {} : { spread: or(spread, '') }),
    }),
  },
  {
    kind: 'iterations',
    label: 'Iterations',
    about: 'Each user runs its journey so many times.',
    fields: [
      { key: 'users', label: 'Users', placeholder: '10' },
      { key: 'iterations', label: 'Iterations per user', placeholder: '20' },
      { ...length, label: 'At most' },
    ],
    write: ({ users, iterations, for: time }) => ({
      users: or(users?.split(' ')[0], '10'),
      iterations: or(iterations, '20'),
      for: or(time, '1m'),
    }),
  },
  {
    kind: 'rest',
    label: 'Rest',
    about: 'Nobody arrives: the target may recover.',
    fields: [length],
    write: ({ for: time }) => ({ rest: or(time, '10s') }),
  },
]
/** The kinds whose arrivals can be spaced evenly or at random. */
export const SPACED = ['constant', 'ramp', 'ladder', 'starts']
/** Keys of a phase that belong to its kind. */
export const KIND_KEYS = ['rate', 'starts', 'rest', 'users', 'iterations', 'for', 'spread']

/** What stands in the plan, as kind and fields. */
export function phaseOf(node: TreeNode | undefined): { kind: string; fields: Record<string, string> } {
  const text = (key: string) => textAt(node, [key])
  const has = (key: string) => nodeAt(node, [key]) !== undefined
  const rate = /^(.*?)(?: to (.*?))?(?: by (.*))?$/.exec(text('rate') ?? '')
  const kind = has('rest')
    ? 'rest'
    : has('iterations')
      ? 'iterations'
      : has('users')
        ? 'users'
        : has('starts')
          ? 'starts'
          : rate?.[3] !== undefined
            ? 'ladder'
            : rate?.[2] !== undefined
              ? 'ramp'
              : 'constant'
  const fields = {
    from: rate?.[1],
    to: rate?.[2],
    by: rate?.[3],
    for: text('for') ?? text('rest'),
    starts: text('starts'),
    users: text('users'),
    iterations: text('iterations'),
    spread: text('spread'),
  }
  return { kind, fields: Object.fromEntries(Object.entries(fields).map(([key, value]) => [key, value ?? ''])) }
}
