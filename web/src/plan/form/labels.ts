// What the form calls the keys of the format: in words of the person, with the key's own meaning beside them.
import { CONTEXTS, type ContextName } from '@jolt-gate/core'

const LABELS: Partial<Record<string, string>> = {
  about: 'Description',
  after: 'Comes after',
  also: 'More origins',
  approval: 'Approval by',
  'made by': 'Runs made by',
  as: 'Read as',
  begins: 'Begins with',
  ca: 'Authorities',
  cap: 'Most users in flight',
  cert: 'Client certificate',
  check: 'Checks',
  drain: 'Time to finish',
  else: 'Steps otherwise',
  for: 'Length',
  form: 'Form fields',
  http: 'Version of HTTP',
  json: 'JSON',
  keep: 'Kept values',
  key: 'Client key',
  lasts: 'Kept for',
  measure: 'Measured',
  mix: 'Mix of journeys',
  off: 'Switched off',
  'on failure': 'After a failure',
  pacing: 'Pacing',
  pick: 'One of',
  query: 'Query parameters',
  redirects: 'Redirects to follow',
  refresh: 'Repeat during the load',
  rest: 'Length',
  requires: 'Requires',
  returning: 'Users return',
  rule: 'Limit',
  run: 'Statement',
  sql: 'Database',
  starts: 'Arrivals',
  stop: 'Stops the run',
  take: 'Rows are taken',
  then: 'When the rows run out',
  tls: 'Certificates',
  uuid: 'UUID',
  url: 'URL',
  verify: 'Verified',
  when: 'Condition',
  with: 'URL parameters',
  within: 'Longest wait',
  xml: 'XML',
}

/** The label of a key. */
export const labelOf = (key: string): string => LABELS[key] ?? `${key.charAt(0).toUpperCase()}${key.slice(1)}`

/** What a key means, for the tooltip of its label. */
export const aboutOf = (context: ContextName, key: string): string => CONTEXTS[context].keys[key]?.about ?? ''

/** What a part is called where it is the subject of the form. */
export const TITLES: Partial<Record<ContextName, string>> = {
  send: 'Request',
  wait: 'Wait',
  group: 'Group',
  parallel: 'In parallel',
  repeat: 'Repeat',
  when: 'Condition',
  pick: 'One of several',
  use: 'Shared steps',
  call: 'Script',
  socket: 'WebSocket',
  stream: 'Stream of events',
  grpc: 'Remote call (gRPC)',
  sql: 'SQL statement',
  phase: 'Phase',
  gate: 'Gate',
}

/** What each kind of step is called where one is added. */
export const STEP_LABELS = {
  send: 'Request',
  wait: 'Wait',
  group: 'Group: timed as one',
  parallel: 'In parallel: all due at once',
  repeat: 'Repeat: some times, or until a check holds',
  when: 'Condition: only when a check holds',
  pick: 'One of several, by weight',
  use: 'Shared steps from a file',
  call: 'Script in the sandbox',
  socket: 'WebSocket',
  stream: 'Stream of events (server-sent)',
  grpc: 'Remote call (gRPC)',
  sql: 'SQL statement, in setup or teardown',
} as const
