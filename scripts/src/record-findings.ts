// What is recorded for the tests of findings: the service with one flaw at a time, and healthy.

export interface Scenario {
  name: string
  /** The text of a plan. */
  plan: string
  flaws?: Record<string, unknown>
  /** Flaws that come while the run lasts. */
  later?: { afterMs: number; flaws: Record<string, unknown> }
  /** Of the service, as its command line takes them. */
  options?: string[]
}

const LOOK = `  look around:
    steps:
      - send: GET /sailings{?from,day}
        with: { from: "{harbour}" }
        name: search sailings
        timeout: 2s
        check: [status is 200]
        keep: { sailing: "json $.sailings[*].id at random" }
      - send: GET /sailings/{sailing}
        name: view sailing
        timeout: 2s
        check: [status is 200]`
/** Every hold is of one sailing, and must be there afterwards. */
const HOLD = `  hold a place:
    steps:
      - send: GET /sailings{?from,day}
        with: { from: "{harbour}" }
        name: search sailings
        keep: { sailing: "json $.sailings[0].id" }
      - send: POST /holds
        name: hold a place
        auth: { bearer: "{token}" }
        json: { sailing: "{sailing}", people: 1 }
        check: [status is 201]
        keep: { hold: json $.id }
      - send: GET /holds/{hold}
        name: view hold
        check: [status is 200]`

const planOf = (load: string, journeys = LOOK, top = '') => `jolt: 1
name: Recorded
target: harbour
values: { day: { date: today + 14 days } }
${top}journeys:
${journeys}
load:
${load}
gates:
  - failed requests at most 100 %
`
const CONSTANT = '  - { phase: hold, rate: 20/s, for: 40s }'
const PEAKED = `  - { phase: before, rate: 10/s, for: 15s }
  - { phase: rise, rate: 10/s to 60/s, for: 10s }
  - { phase: after, rate: 10/s, for: 15s }`
const SIGN_IN = `setup:
  - send: POST /sessions
    json: { user: "{secret.user}", password: "{secret.password}" }
    keep: { token: secret json $.token }
`

const healthy = (kind: string, load: string): Scenario[] =>
  Array.from({ length: 5 }, (_, index) => ({
    name: `healthy, ${kind} ${String(index + 1)}`,
    plan: planOf(load),
    options: ['--seed', String(61 + index)],
  }))

export const FINDINGS: readonly Scenario[] = [
  ...healthy('constant', CONSTANT),
  ...healthy('peaked', PEAKED),
  { name: 'saturation', plan: planOf('  - { phase: climb, rate: 20/s to 420/s, for: 40s }') },
  {
    name: 'queue',
    plan: planOf('  - { phase: hold, rate: 200/s, for: 20s }\n  - { phase: after, rate: 20/s, for: 20s }'),
    flaws: { slowSearch: 2 },
    options: ['--queue', '5000'],
  },
  { name: 'cold start', plan: planOf('  - { phase: hold, rate: 20/s, for: 50s }'), flaws: { coldStartSeconds: 14 } },
  { name: 'leak', plan: planOf('  - { phase: hold, rate: 20/s, for: 75s }'), flaws: { leakMs: 15 } },
  {
    name: 'race',
    plan: planOf(
      '  - { phase: alone, users: 1, for: 20s }\n  - { phase: many, rate: 2/s to 50/s, for: 25s }',
      HOLD,
      SIGN_IN,
    ),
    flaws: { race: true },
  },
  { name: 'stall', plan: planOf(CONSTANT), later: { afterMs: 20_000, flaws: { stallMs: 5000 } } },
  { name: 'errors', plan: planOf(CONSTANT), flaws: { errors: 0.05 } },
  {
    name: 'pauses',
    plan: planOf('  - { phase: hold, rate: 40/s, for: 60s }'),
    flaws: { pauseMs: 200, pauseEveryMs: 6000 },
  },
  { name: 'two populations', plan: planOf(CONSTANT), flaws: { misses: 0.3 } },
  { name: 'slow dependency', plan: planOf(CONSTANT), flaws: { slowFaresMs: 150 } },
  {
    name: 'lost connections',
    plan: planOf('  - { phase: hold, rate: 20/s, for: 75s }'),
    flaws: { lostConnections: 25 },
  },
]
