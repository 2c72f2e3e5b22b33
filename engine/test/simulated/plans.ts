// Plans at random, each with what goes wrong in it: one thing beyond its gates, or nothing.
import {
  caseOf,
  closedPhase,
  inside,
  journey,
  oneSend,
  openPhase,
  pick,
  sendLines,
  someSteps,
  untilLines,
  type Case,
  type Random,
} from './plan-parts.js'
import { FAULTS, type Fault } from './target.js'

/** What goes wrong, with how a plan is made in which it does. */
export const KINDS = {
  refused: ofRequest('refused'),
  reset: ofRequest('reset', { method: 'POST' }),
  protocol: ofRequest('protocol'),
  tls: ofRequest('tls'),
  dns: ofRequest('dns'),
  local: ofRequest('local'),
  timeout: ofRequest('never', { more: ['timeout: 300ms'] }),
  'cut off': ofRequest('never', { more: ['timeout: 10m'], top: 'drain: 700ms\n' }),
  status: ofRequest('status'),
  'a status that is only ruled out': ofRequest('status', { more: ["check: ['status is not 404']"] }),
  check: ofRequest('check', { more: ["check: ['json $.ok is true']"] }),
  'nothing to keep': ofRequest('nothing to keep', { more: ["keep: { it: 'json $.id' }"] }),
  'null to keep': ofRequest('null to keep', { more: ["keep: { it: 'json $.id' }"] }),
  'a page in place of JSON, in which nothing is missing': ofRequest('a page', {
    more: ["check: ['json $.error is missing']"],
  }),
  'an empty body, with few items': ofRequest('an empty body', {
    more: ["check: ['json $.items has at most 3 items']"],
  }),
  decoding: ofRequest('decoding'),
  'too large': ofRequest('too large'),
  'not permitted': ofRequest('not permitted'),
  'a condition that cannot be read': (random) =>
    withFault(random, 'a page', (path) => [
      ...sendLines(path, 'it'),
      '- when: json $.error is missing',
      ...inside(['steps:', ...inside(sendLines('/when', 'when'))]),
    ]),
  until: (random) => ({
    ...withFault(random, 'not done', (path) => untilLines(path), pick(random, [1, 0.8, 0.6])),
    isOfRequests: false,
  }),
  script: (random) => ({
    ...caseOf(random, { steps: ['- call: fares.ts#choose'], needsRequest: true }),
    callFails: atShare(random, 0.3),
    isOfRequests: false,
  }),
  'a socket that is silent': ofSocket(FAULTS.never),
  'a socket that closes': ofSocket({ kind: 'answer', status: 0, body: Buffer.alloc(0) }),
  'a socket that is refused': ofSocket(FAULTS.refused),
  'waits that never end': (random) => ({
    ...caseOf(random, { steps: [...sendLines('/a', 'a'), '- wait: 10m'], top: 'drain: 1s\n' }),
    isOfRequests: false,
  }),
  'an endless repeat': (random) => ({
    ...caseOf(random, {
      steps: ['- repeat: 10000', ...inside(['steps:', ...inside([...sendLines('/a', 'a'), '- wait: 400ms'])])],
      top: 'drain: 1s\n',
    }),
    isOfRequests: false,
  }),
  'some that never end': (random) => ({
    ...caseOf(random, {
      steps: [
        ...sendLines('/a', 'a'),
        '- pick:',
        ...inside(['- weight: 3', ...inside(['steps:', '  - wait: 50ms']), '- steps:', '    - wait: 10m']),
      ],
      top: 'drain: 2s\n',
      load: ['{ phase: p, rate: 20/s, for: 5s }'],
    }),
    isOfRequests: false,
  }),
  'data that ran out': (random) => ({
    ...caseOf(random, {
      top: 'data:\n  rows: { file: rows.csv, take: once each }\n',
      steps: ['- send: GET /a{?n}', ...inside(['name: a', 'with: { n: "{rows.n}" }'])],
      load: [random() < 0.5 ? openPhase(random) : closedPhase(random)],
    }),
    files: { 'rows.csv': 'n\n1\n2\n' },
    isOfRequests: false,
  }),
  'capped arrivals': (random) => ({
    ...caseOf(random, {
      top: 'cap: 1 user\n',
      steps: [...sendLines('/a', 'a'), '- wait: 900ms'],
      load: ['{ phase: p, rate: 10/s, for: 3s }'],
    }),
    isOfRequests: false,
  }),
  'nothing measured': (random) => ({
    ...caseOf(random, {
      load: [openPhase(random).replace(' }', ', measure: no }')],
      gates: ['requests at most 100000'],
    }),
    isOfRequests: false,
  }),
  'a generator that stands still': (random) => ({
    ...caseOf(random, { load: ['{ phase: p, rate: 40/s, for: 6s }'] }),
    stall: { atMs: 1000 + 3000 * random(), forMs: 1500 + 2000 * random() },
    isOfRequests: false,
  }),
  'a sender that died': (random) => ({ ...caseOf(random, {}), death: 'a sender died', isOfRequests: false }),
  'setup with 5xx': ofSetup(FAULTS.status),
  'setup with 4xx': ofSetup({ kind: 'answer', status: 403, body: Buffer.alloc(0) }),
  'setup that is refused': ofSetup(FAULTS.refused),
  'a whole journey beneath the limit': (random) => ({
    ...caseOf(random, {
      journeys: [...journey('many', 30, sendLines('/many', 'many')), ...journey('few', 1, sendLines('/few', 'few'))],
      load: ['{ phase: p, rate: 40/s, for: 5s }'],
      gates: ['failed requests at most 90 %', 'failed journeys at most 90 %'],
    }),
    faultOf: ({ path }) => (path === '/few' ? pick(random, [FAULTS.status, FAULTS.refused, FAULTS.reset]) : undefined),
    isOfRequests: false,
  }),
  'a step that is never reached': (random) => ({
    ...caseOf(random, {
      steps: [...sendLines('/a', 'a', ['on failure: end iteration']), ...sendLines('/b', 'b')],
      load: ['{ phase: p, users: 1, iterations: 2 }'],
      gates: ['failed requests at most 100 %', 'failed journeys at most 100 %'],
    }),
    faultOf: ({ path, before }) =>
      path === '/a' && before % 2 === 0 ? undefined : path === '/a' ? FAULTS.status : undefined,
    isOfRequests: false,
    ...neverReached(random),
  }),
  'answers that are too slow': (random) => ({
    ...caseOf(random, {
      steps: sendLines('/a', 'a'),
      load: ['{ phase: p, rate: 30/s, for: 5s }'],
      gates: ['p95 response time of "a" under 200 ms'],
    }),
    faultOf: atPath('/a', random, 0.3, { kind: 'slow', ms: 600 }),
    isOfRequests: false,
  }),
  'a metric that is lost': (random) => ({
    ...caseOf(random, { load: ['{ phase: p, rate: 10/s, for: 15s }'], gates: ['max metric "places" under 100'] }),
    metricsAt: (second) => [second % 4 === 1 ? null : 5],
    isOfRequests: false,
  }),
  'a strict run without its baseline': strictly(['p50 response time at most 120 % of baseline']),
  'a strict run without one of its journeys': (random) => ({
    ...caseOf(random, {
      top: 'strict: yes\n',
      journeys: [...journey('many', 9999, sendLines('/many', 'many')), ...journey('few', 1, sendLines('/few', 'few'))],
      load: ['{ phase: p, rate: 20/s, for: 4s }'],
    }),
    isOfRequests: false,
  }),
  'a strict run that sends again': (random) => ({
    ...caseOf(random, {
      top: 'strict: yes\n',
      steps: sendLines('/a', 'a'),
      load: ['{ phase: p, rate: 40/s, for: 4s }'],
    }),
    faultOf: ({ path, before }) => (path === '/a' && before % 5 === 4 ? FAULTS.reset : undefined),
    isOfRequests: false,
  }),
} as const satisfies Record<string, (random: Random) => Case>

/** A service that does what it should, under all shapes of plans. */
export const HEALTHY = {
  'plans of any shape': (random) => caseOf(random, {}),
  'failures within their limit': (random) => ({
    ...caseOf(random, { steps: sendLines('/it', 'it'), gates: ['failed requests at most 30 %'] }),
    faultOf: ({ path }) => (path === '/it' && random() < 0.04 ? FAULTS.status : undefined),
  }),
  'failures of a warm-up alone': (random) => ({
    ...caseOf(random, {
      steps: sendLines('/it', 'it'),
      load: ['{ phase: warm, rate: 20/s, for: 2s, measure: no }', '{ phase: p, rate: 20/s, for: 3s }'],
    }),
    faultOf: ({ path, before }) => (path === '/it' && before < 38 ? FAULTS.status : undefined),
  }),
  'users in the middle of a wait when the drain ends': (random) =>
    caseOf(random, {
      steps: [...sendLines('/a', 'a'), pick(random, ['- wait: 900ms', '- wait: 200ms to 900ms'])],
      top: 'drain: 300ms\n',
      load: ['{ phase: p, users: 20, for: 6s, spread: 2s }'],
    }),
  'sockets that stay open for the whole load': (random) =>
    caseOf(random, {
      steps: [
        '- socket: GET /board',
        ...inside([
          'name: board',
          'steps:',
          '  - await: \'json $.kind is "hello"\'',
          '    name: hello',
          '  - wait: 10m',
        ]),
      ],
      top: 'drain: 500ms\n',
      load: ['{ phase: p, users: 5, for: 4s }'],
      // Of iterations that neither finish nor fail no share is measured.
      gates: pick(random, [[], ['failed requests at most 1 %']]),
    }),
  'a journey of weight 1 beside 99 in fifty arrivals': (random) =>
    caseOf(random, {
      journeys: [...journey('many', 99, someSteps(random, 'm')), ...journey('rare', 1, sendLines('/rare', 'rare'))],
      load: ['{ phase: p, rate: 10/s, for: 5s }'],
    }),
  'what goes on until the load ends': (random) =>
    caseOf(random, {
      steps: [
        '- repeat: { until: load ends }',
        ...inside(['steps:', ...inside([...sendLines('/a', 'a'), '- wait: 400ms'])]),
        ...sendLines('/bye', 'bye'),
      ],
      top: 'drain: 500ms\n',
    }),
} as const satisfies Record<string, (random: Random) => Case>

// ---------- what goes wrong

const SHARES = [1, 1, 0.5, 0.3, 0.15]
const atShare = (random: Random, least: number) => {
  const share = Math.max(least, pick(random, SHARES))
  return () => random() < share
}
const atPath = (path: string, random: Random, least: number, fault: Fault): Case['faultOf'] => {
  const fails = atShare(random, least)
  return (asked) => (asked.path === path && fails() ? fault : undefined)
}

/** One step among others fails. */
function withFault(
  random: Random,
  fault: keyof typeof FAULTS,
  stepsOf: (path: string) => string[],
  share?: number,
  top = '',
): Case {
  const around = random() < 0.5
  const steps = [
    ...(around ? oneSend(random, 'before') : []),
    ...stepsOf('/it'),
    ...(around ? oneSend(random, 'after') : []),
  ]
  const fails = share === undefined ? atShare(random, 0) : () => random() < share
  return {
    ...caseOf(random, { steps, top, load: [random() < 0.7 ? openPhase(random) : closedPhase(random)] }),
    faultOf: ({ path }) => (path === '/it' && fails() ? FAULTS[fault] : undefined),
  }
}

function ofRequest(
  fault: keyof typeof FAULTS,
  { more = [], top = '', method = 'GET' }: { more?: string[]; top?: string; method?: string } = {},
): (random: Random) => Case {
  return (random) => withFault(random, fault, (path) => sendLines(path, 'it', more, method), undefined, top)
}

function ofSocket(fault: Fault): (random: Random) => Case {
  return (random) => ({
    ...caseOf(random, {
      steps: [
        '- socket: GET /board',
        ...inside([
          'name: board',
          'steps:',
          '  - await: \'json $.kind is "hello"\'',
          '    name: hello',
          '    within: 300ms',
        ]),
      ],
      load: [openPhase(random)],
      gates: [],
    }),
    faultOf: atPath('/board', random, 0.3, fault),
    isOfRequests: false,
  })
}

function ofSetup(fault: Fault): (random: Random) => Case {
  return (random) => ({
    ...caseOf(random, { top: 'setup:\n  - send: GET /setup\n' }),
    faultOf: ({ path }) => (path === '/setup' ? fault : undefined),
    isOfRequests: false,
  })
}

function strictly(gates: string[]): (random: Random) => Case {
  return (random) => ({ ...caseOf(random, { top: 'strict: yes\n', gates }), isOfRequests: false })
}

/** Fewer than three iterations, each of which ends at its first step. */
function neverReached(random: Random): Partial<Case> {
  const fault = pick(random, [FAULTS.status, FAULTS.refused])
  const works = random() < 0.5
  // One request of the step passes where it is the only one that does: then no step after it is reached all the same.
  return { faultOf: ({ path, before }) => (path === '/a' && !(works && before > 5) ? fault : undefined) }
}
