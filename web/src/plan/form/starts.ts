// What a new part begins as, so that no state in between is an error.
import { CONTEXTS, type Key, type Shape, type STEP_CONTEXTS, type Written } from '@jolt-gate/core'

export type StepKind = (typeof STEP_CONTEXTS)[number]

const SENTENCES: Partial<Record<string, string>> = {
  Check: 'status is 200',
  ValueCheck: 'value fare is "adult"',
  Keep: 'json $.id',
  Gate: 'failed requests at most 1 %',
  RatesOnly: '5/s',
  UsersRange: '10',
  WaitOnly: '1s to 3s',
  WholeRange: '1 to 4',
  DateOffset: 'today + 14 days',
  BeginsOnly: 'push to main',
  BaselineOnly: 'last open on main',
  RequirementOnly: 'staging within 24h',
}

/** What a new part of some shape begins as. */
export function startOf(of: Shape): Written {
  switch (of.kind) {
    case 'whole':
      return '1'
    case 'switch':
      return 'yes'
    case 'words':
      return of.words[0] ?? ''
    case 'map': {
      const keys = Object.entries(CONTEXTS[of.of].keys)
      const first = keys.filter(([, key]) => key.isNeeded)
      return Object.fromEntries(
        (first.length > 0 ? first : keys.slice(0, 1)).map(([key, { example, shape }]) => [
          key,
          example === '' ? startOf(shape) : example.replace(/^- /, ''),
        ]),
      )
    }
    case 'list':
      return [startOf(of.of)]
    case 'one of':
      return startOf(of.shapes[0] ?? { kind: 'text' })
    case 'sentence':
      return SENTENCES[of.rule] ?? '1s'
    default:
      return 'value'
  }
}

const KEYS: Partial<Record<string, Written>> = {
  check: ['status is 200'],
  keep: { id: 'json $.id' },
  headers: { accept: 'application/json' },
  with: { name: 'value' },
  query: { page: '1' },
  json: { name: 'value' },
  form: { name: 'value' },
  auth: { bearer: '{token}' },
  values: { people: '1' },
  defaults: { timeout: '10s' },
  also: ['http://127.0.0.1:7711'],
}
const SIMPLE = ['text', 'sentence', 'whole', 'words', 'switch', 'file', 'request']

/** What a key that is added begins as. */
export function startOfKey(name: string, { example, shape }: Key): Written {
  return KEYS[name] ?? (SIMPLE.includes(shape.kind) && example !== '' ? example : startOf(shape))
}

/** What a step that is added begins as. */
export const STEP_STARTS: Record<StepKind, Written> = {
  send: { send: 'GET /', name: 'new step', check: ['status is 200'] },
  wait: { wait: '1s to 3s' },
  group: { group: 'new group', steps: [{ send: 'GET /', name: 'new step' }] },
  parallel: { parallel: [{ send: 'GET /', name: 'new step' }] },
  repeat: { repeat: '3', steps: [{ send: 'GET /', name: 'new step' }] },
  when: { when: 'status is 200', steps: [{ send: 'GET /', name: 'new step' }] },
  pick: { pick: [{ weight: '1', steps: [{ send: 'GET /', name: 'new step' }] }] },
  use: { use: 'steps/shared.steps.yaml' },
  call: { call: 'scripts/values.ts#choose' },
  socket: { socket: 'GET /live', steps: [{ await: 'json $.kind exists' }] },
  stream: { stream: 'GET /events', steps: [{ await: 'json $.kind exists' }] },
  grpc: { grpc: 'package.Service/Method', proto: 'proto/service.proto', message: '{}' },
  sql: { sql: '{secret.database}', run: 'SELECT 1' },
}
