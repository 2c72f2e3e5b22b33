// A sender without its thread: its states, and the requests that it must account for.
import { decodeBucket, previewOf, Recording, shapeOf, UNDIVIDED, type Bucket } from '@jolt-gate/core'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { timerAlarm } from '../src/clock/alarm.js'
import { monotonicMs } from '../src/clock/clock.js'
import { lostRequests } from '../src/coordinate/lost-requests.js'
import { Sender } from '../src/generate/sender.js'
import type { FromSender, SenderCounts } from '../src/generate/sender-protocol.js'
import { journeyOf, planFor } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer

beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    if (request.url === '/xml') response.end('<a>many</a>')
    else if (request.url !== '/never') response.end('{"ok":true}')
  })
})
afterAll(() => server.stop())

/** A sender of a plan, and all that it tells. */
function senderOf(parts: string) {
  const { plan, target } = planFor(server.origin, parts)
  const told: FromSender[] = []
  let onDone = (): void => undefined
  const done = new Promise<void>((resolve) => (onDone = resolve))
  const sender: Sender = new Sender(
    {
      plan,
      target,
      shape: shapeOf(plan, previewOf(plan).phases),
      run: { id: 't', seed: 1, startedAtMs: 0, secrets: {}, overrides: {} },
      index: 0,
      deal: UNDIVIDED,
      setupValues: [],
      maskedValues: [],
      mostLateMs: 60_000,
      warmsUp: false,
      tellsSamples: false,
      leasesRows: false,
      files: new Map(),
    },
    (message) => {
      told.push(message)
      if (message.kind === 'done') onDone()
    },
    timerAlarm(() => {
      sender.turn()
    }),
  )
  const buckets = (): Bucket[] =>
    told.flatMap((message) => (message.kind === 'bucket' ? [decodeBucket(message.bytes)] : []))
  return { sender, told, done, buckets }
}

const sumOf = (buckets: Bucket[], of: (bucket: Bucket) => number) => buckets.reduce((sum, one) => sum + of(one), 0)
const requestsIn = (buckets: Bucket[]) =>
  sumOf(buckets, ({ steps }) => steps.reduce((sum, { requests }) => sum + requests, 0))

describe('a sender', () => {
  it('is ready, loading, over; and accounts for every request', async () => {
    const { sender, told, done, buckets } = senderOf(journeyOf('      - send: GET /ok\n', 5))
    const states = [sender.state]

    sender.turn()
    states.push(sender.state)
    sender.begin(monotonicMs())
    states.push(sender.state)
    await done
    states.push(sender.state)

    expect(states).toEqual(['ready', 'ready', 'loading', 'over'])
    expect(told.at(-1)).toEqual({ kind: 'done', counts: { started: 5, ended: 5, recorded: 5 } })
    expect(requestsIn(buckets())).toBe(5)
  })

  it('drains once the load is told to end, cuts off what does not answer, and says nothing after its end', async () => {
    const { sender, told, done, buckets } = senderOf(journeyOf('      - send: GET /never\n', 2))
    sender.begin(monotonicMs())
    await expect.poll(() => server.arrivals.get('/never')?.length).toBeGreaterThan(0)

    sender.receive({ kind: 'end load' })
    expect(sender.state).toBe('draining')
    sender.receive({ kind: 'stop' })
    await done
    const { length } = told
    sender.receive({ kind: 'stop' })
    sender.receive({ kind: 'end load' })
    sender.turn()

    expect(sender.state).toBe('over')
    expect(told).toHaveLength(length)
    expect(buckets().flatMap(({ failures }) => failures.map(({ kind, count }) => [kind, count]))).toEqual([
      ['cut off', sumOf(buckets(), ({ arrivals }) => arrivals.reduce((sum, { started }) => sum + started, 0))],
    ])
  })

  it('loses no request whose check, keep or condition cannot be evaluated: each has failed, with the reason', async () => {
    const cases = [
      ['        check: [xml xs:integer(/a) is 1]\n', 'check', 'xml xs:integer(/a) is 1: cannot be evaluated'],
      ['        keep: { n: xml xs:integer(/a) }\n', 'keep', 'n: cannot be evaluated'],
      [
        '      - when: xml xs:integer(/a) is 1\n        steps:\n          - wait: 1ms\n',
        'check',
        'cannot be evaluated',
      ],
    ] as const
    for (const [more, kind, reason] of cases) {
      const { sender, told, done, buckets } = senderOf(journeyOf(`      - send: GET /xml\n${more}`, 2))
      sender.begin(monotonicMs())
      await done

      expect(told.at(-1)).toMatchObject({ counts: { started: 2, ended: 2, recorded: 2 } })
      expect(buckets().flatMap(({ failures }) => failures)).toMatchObject([
        { kind, count: 2, detail: expect.stringContaining(reason) as string },
      ])
      expect(sumOf(buckets(), ({ journeys }) => journeys.reduce((sum, { endedFailed }) => sum + endedFailed, 0))).toBe(
        2,
      )
    }
  })
})

describe('requests that are not accounted for', () => {
  const recordingOfOne = async () => {
    const recording = new Recording()
    const { sender, done, buckets } = senderOf(journeyOf('      - send: GET /ok\n', 1))
    sender.begin(monotonicMs())
    await done
    for (const bucket of buckets()) recording.add(bucket)
    return recording
  }
  const counts = (started: number, ended: number, recorded: number): SenderCounts => ({ started, ended, recorded })

  it.each([
    ['all there', counts(1, 1, 1), false, undefined],
    ['one never ended', counts(2, 1, 1), false, 'requests were lost: 2 began, 1 ended'],
    ['a bucket never came', counts(3, 3, 3), false, 'records were lost: senders recorded 3 requests, 1 arrived'],
    ['a sender died, and told no counts', counts(0, 0, 0), true, undefined],
  ])('%s', async (_, told, hasDeaths, words) => {
    const found = lostRequests(told, { recording: await recordingOfOne(), afterStop: new Recording() }, hasDeaths)

    expect(found?.slice(0, words?.length)).toBe(words)
  })
})
