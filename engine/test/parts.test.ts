// The parts of the engine by themselves: deadlines, merging, masking, rows, users who come again, scripts, recording.
import { totalsOf } from '../src/coordinate/host.js'
import fc from 'fast-check'
import {
  encodeBucket,
  decodeBucket,
  Distribution,
  emptyBucket,
  Dealer,
  dealtEvenly,
  UNDIVIDED,
  previewOf,
  readPlan,
  shapeOf,
  type Bucket,
  type Plan,
} from '@jolt-gate/core'
import { describe, expect, it } from 'vitest'
import { ClosedUsers } from '../src/generate/closed-users.js'
import { Deadlines, type Limited } from '../src/http/deadlines.js'
import { wireFaultOf } from '../src/http/wire-faults.js'
import { Mask, maskHeader } from '../src/secrets/mask.js'
import { BucketMerger } from '../src/coordinate/merger.js'
import { RowLeases } from '../src/coordinate/row-leases.js'
import { Iteration } from '../src/walk/iteration.js'
import type { Program } from '../src/compile/program.js'
import { RowTaker } from '../src/generate/rows.js'
import { compilePlan } from '../src/walk/compile-plan.js'
import { planFor } from './run-plan.js'
import { BucketRecorder } from '../src/generate/bucket-recorder.js'

function planOf(load: string, more = '', files: Record<string, string> = {}): Plan {
  const text = `jolt: 1\nname: T\ntarget: http://127.0.0.1:1\n${more}journeys:\n  a:\n    steps:\n      - send: GET /one\n        name: one\n        check: [status is 200]\nload:\n${load}\n`
  const { plan, problems } = readPlan('t.gate.yaml', text, { files: (path) => files[path] })
  expect(problems).toEqual([])
  return plan
}

describe('deadlines', () => {
  it('ring in order of their limits, each once, and never after they were taken away', () => {
    const item = fc.record({ limitMs: fc.constantFrom(10, 50, 200), addedMs: fc.nat(100), removed: fc.boolean() })
    fc.assert(
      fc.property(fc.array(item, { maxLength: 40 }), fc.nat(400), (items, nowMs) => {
        const deadlines = new Deadlines()
        const rung: number[] = []
        const limited = items
          .toSorted((a, b) => a.addedMs - b.addedMs)
          .map(({ limitMs, addedMs, removed }, index) => {
            const entry: Limited = {
              limitAtMs: addedMs + limitMs,
              before: null,
              after: null,
              timeOut: () => {
                rung.push(index)
                deadlines.remove(entry, limitMs)
              },
            }
            deadlines.add(entry, limitMs)
            return { entry, limitMs, removed }
          })
        for (const { entry, limitMs, removed } of limited) if (removed) deadlines.remove(entry, limitMs)
        deadlines.run(nowMs)

        const due = limited.flatMap(({ entry, removed }, index) =>
          !removed && entry.limitAtMs <= nowMs ? [index] : [],
        )
        expect(rung.toSorted((a, b) => a - b)).toEqual(due)
        const left = limited.filter(({ entry, removed }) => !removed && entry.limitAtMs > nowMs)
        expect(deadlines.nextMs()).toBe(Math.min(Infinity, ...left.map(({ entry }) => entry.limitAtMs)))
      }),
    )
  })
})

describe('merging', () => {
  const bucketWith = (second: number, users: number): Bucket => ({ ...emptyBucket(second), users })

  it('hands seconds on in order, once every sender has reached them', () => {
    const emitted: [number, number][] = []
    const merger = new BucketMerger(2, (bucket) => emitted.push([bucket.second, bucket.users]))

    merger.add(0, bucketWith(0, 2))
    merger.add(0, bucketWith(1, 2))
    expect(emitted).toEqual([])
    merger.add(1, bucketWith(0, 3))
    expect(emitted).toEqual([[0, 5]])
    // A sender that dies holds nobody up.
    merger.end(1)
    merger.add(0, bucketWith(2, 1))
    merger.end(0)
    expect(emitted).toEqual([
      [0, 5],
      [1, 2],
      [2, 1],
    ])
  })
})

describe('masking', () => {
  it('hides a secret in every form in which it may be written, wherever it stands', () => {
    const secret = fc.string({
      minLength: 6,
      maxLength: 30,
      unit: fc.constantFrom(...Array.from('abcXYZ019 +/"\\äß&=%')),
    })
    fc.assert(
      fc.property(secret, fc.string({ maxLength: 10 }), (word, around) => {
        const mask = new Mask()
        mask.add(word)
        const forms = [
          word,
          encodeURIComponent(word),
          JSON.stringify(word).slice(1, -1),
          Buffer.from(word).toString('base64').replace(/=+$/, ''),
          Buffer.from(word).toString('base64url'),
          // RFC 6570, section 3.2.1: only unreserved characters stay.
          encodeURIComponent(word).replaceAll(/[!'()*]/g, (one) => `%${one.charCodeAt(0).toString(16).toUpperCase()}`),
          new URLSearchParams([['', word]]).toString().slice(1),
          JSON.stringify(JSON.stringify(word)).slice(3, -3),
          word.replaceAll('&', '&amp;').replaceAll('"', '&quot;'),
        ]
        for (const form of forms) expect(mask.apply(`${around}${form}${around}`)).not.toContain(form)
        // In base64 of a pair only the characters at its ends may be left.
        const pair = Buffer.from(`user:${word}`).toString('base64')
        expect(mask.apply(pair).length).toBeLessThan(pair.length)
      }),
      { numRuns: 200 },
    )
  })

  it('hides what a user was given, however many others were given something since', () => {
    const mask = new Mask()
    for (let user = 0; user < 1000; user++) mask.addPassing(`token-of-${String(user)}`)

    expect(mask.apply('token-of-999 token-of-1')).toBe('••• token-of-1')
    expect(mask.excerpt('got token-of-1', ['token-of-1'])).toBe('got •••')
  })

  it('leaves short ones, and shows of sign-in headers only the scheme', () => {
    const mask = new Mask()
    mask.add('abc')

    expect(mask.apply('abc')).toBe('abc')
    expect(maskHeader('Authorization', 'Bearer x.y')).toBe('Bearer •••')
    expect(maskHeader('Set-Cookie', 'a=b')).toBe('•••')
    expect(maskHeader('accept', '*/*')).toBe('*/*')
  })
})

describe('rows', () => {
  const files = { 'p.csv': `name\n${Array.from({ length: 5 }, (_, row) => `r${String(row)}`).join('\n')}\n` }
  const program = { data: [{ set: 0, slot: 3 }] } as unknown as Program
  const planOfRows = (load: string, take: string) =>
    planOf(load, `data: { p: { file: p.csv, take: ${take} } }\n`, files)
  const takerOf = (take: string) => {
    const { data } = planOfRows('  - { phase: p, rate: 1/s, for: 1s }', take)
    const arrivals = [0]
    const none = { areLeased: false, want: () => undefined }
    return { arrivals, taker: new RowTaker({ data, programs: [program], seed: 7, arrivals, ...none }) }
  }

  it('in turn go round, at random stay within, and once each end', () => {
    const [turns, random, once] = [takerOf('in turn'), takerOf('at random'), takerOf('once each')]
    const taken: unknown[] = []
    for (let turn = 0; turn < 7; turn++) {
      const frame: unknown[] = []
      once.arrivals[0] = turn + 1
      taken.push(once.taker.take(program, frame as never, turn, turn, 0).kind)
      turns.taker.take(program, frame as never, turn, turn, 0)
      expect(frame[3]).toBe(turn % 5)
      random.taker.take(program, frame as never, turn, turn, 0)
      expect([0, 1, 2, 3, 4]).toContain(frame[3])
    }

    expect(taken).toEqual(['taken', 'taken', 'taken', 'taken', 'taken', 'spent', 'spent'])
  })

  it('of users who come again are leased: none is taken twice, none is left over, whoever is the faster', () => {
    const many = { 'p.csv': `name\n${Array.from({ length: 60 }, (_, row) => `r${String(row)}`).join('\n')}\n` }
    const load = '  - { phase: p, users: 3, for: 9s }'
    const plan = planOf(load, 'data: { p: { file: p.csv, take: once each } }\n', many)
    fc.assert(
      fc.property(fc.array(fc.nat(2), { minLength: 0, maxLength: 60 }), fc.nat(3), fc.nat(2), (turns, lateBy, gone) => {
        /** Words on their way, of senders and to them. */
        const words: (() => void)[] = []
        const rows: unknown[] = []
        const ended = new Set<number>()
        const awaiting = new Set<number>()
        const leases = new RowLeases(plan, 3, (sender, word) => {
          words.push(() => {
            const taker = takers[sender]
            if (taker === undefined) return
            if (word.kind === 'rows') taker.add(word.set, word.lease)
            else {
              const back = taker.giveBack(word.set)
              words.push(() => {
                leases.giveBack(sender, word.set, back)
              })
            }
          })
        })
        const takers = [0, 1, 2].map(
          (sender) =>
            new RowTaker({
              ...{ data: plan.data, programs: [program], seed: 7, arrivals: [], areLeased: leases.areLeased },
              want: (set) =>
                words.push(() => {
                  leases.want(sender, set)
                }),
            }),
        )
        const take = (sender: number) => {
          const frame: unknown[] = []
          const taken = takers[sender]?.take(program, frame as never, 0, 0, 0)
          if (taken?.kind === 'taken') rows.push(frame[3])
          if (taken?.kind === 'spent') ended.add(sender)
          if (taken?.kind === 'awaited') awaiting.add(sender)
        }
        const deliver = (upTo: number) => {
          while (words.length > upTo) words.shift()?.()
          for (const sender of [...awaiting]) {
            awaiting.delete(sender)
            take(sender)
          }
        }
        for (const sender of turns) {
          take(sender)
          deliver(lateBy)
        }
        // In the end one goes on alone, and has all that is left; another may have gone, with what it had given back.
        deliver(0)
        if (gone > 0) {
          leases.giveBack(gone, 0, takers[gone]?.giveBack(0) ?? [])
          leases.end(gone)
        }
        for (let round = 0; round < 200 && !ended.has(0); round++) {
          deliver(0)
          take(0)
        }

        expect(ended.has(0)).toBe(true)
        expect(new Set(rows).size).toBe(rows.length)
        expect(rows).toHaveLength(60)
      }),
      { numRuns: 300, seed: 17 },
    )
  })
})

describe('rows of two files', () => {
  it('are not changed for ever between senders of which each has what the other lacks', () => {
    const files = { 'p.csv': 'name\nr0\n', 'q.csv': 'name\nr0\n' }
    const sets = 'data:\n  p: { file: p.csv, take: once each }\n  q: { file: q.csv, take: once each }\n'
    const journeys = `journeys:\n${[
      ['a', 'q', 'p'],
      ['b', 'p', 'q'],
    ]
      .map(
        ([name = '', ...names]) =>
          `  ${name}:\n    steps:\n      - send: GET /{${names.join('.name}/{')}.name}\n        name: ${name}\n`,
      )
      .join('')}`
    const { plan, target } = planFor(
      'http://127.0.0.1:1',
      `${sets}${journeys}load:\n  - { phase: p, users: 2, for: 9s }\n`,
      {
        files,
      },
    )
    const run = { id: 't', seed: 1, startedAtMs: 0, secrets: {}, overrides: {} }
    const shape = shapeOf(plan, previewOf(plan).phases)
    const programs = compilePlan(plan, target, shape, { run, fileBytes: () => new Uint8Array() }).journeys
    const words: (() => void)[] = []
    const takers = [0, 1].map((sender) => {
      const want = (set: number) => {
        words.push(() => {
          leases.want(sender, set)
        })
      }
      return new RowTaker({ data: plan.data, programs, seed: 7, arrivals: [], areLeased: true, want })
    })
    const leases = new RowLeases(plan, 2, (sender, word) => {
      words.push(() => {
        const taker = takers[sender]
        if (taker === undefined) return
        if (word.kind === 'rows') taker.add(word.set, word.lease)
        else {
          const back = taker.giveBack(word.set)
          words.push(() => {
            leases.giveBack(sender, word.set, back)
          })
        }
      })
    })
    // One has the row of the first file and names it last, the other that of the second.
    leases.want(0, 0)
    leases.want(1, 1)
    const outcomes = new Map([0, 1].map((sender) => [sender, 'awaited']))
    let taken = 0
    for (let round = 0; round < 50 && [...outcomes.values()].includes('awaited'); round++) {
      for (const [sender, taker] of takers.entries()) {
        if (outcomes.get(sender) === 'spent') continue
        const program = programs[sender]
        const kind = program === undefined ? 'spent' : taker.take(program, [], 0, 0, 0).kind
        if (kind === 'taken') taken++
        outcomes.set(sender, kind === 'taken' ? 'awaited' : kind)
      }
      for (const word of words.splice(0)) word()
    }

    expect([...outcomes.values()]).toEqual(['spent', 'spent'])
    expect(taken).toBe(1)
  })
})

describe('concurrent users', () => {
  it('are looked after by one thread each, and make their iterations', () => {
    const plan = planOf('  - { phase: p, users: 5, iterations: 3 }')
    const begun = [0, 1].flatMap((index) => {
      const users = new ClosedUsers(plan, index, new Dealer(dealtEvenly(2)))
      const iterations: string[] = []
      const queue = []
      for (let next = users.take(0); next !== undefined; next = users.take(0)) queue.push(next)
      for (let next = queue.shift(); next !== undefined; next = queue.shift()) {
        iterations.push(String(next.user))
        const again = users.ended(next.index, undefined, next.dueMs + 10)
        if (again !== undefined) queue.push(again)
      }
      expect(users.isDone).toBe(true)
      return iterations
    })

    expect(begun).toHaveLength(15)
    expect(new Set(begun).size).toBe(15)
  })

  it('who were capped try again a second later, and nobody begins after the end', () => {
    const users = new ClosedUsers(planOf('  - { phase: p, users: 1, for: 10s }'), 0, new Dealer(UNDIVIDED))
    const first = users.take(0)
    users.capped(first?.index ?? -1, 0)

    expect(users.take(500)).toBeUndefined()
    expect(users.nextMs()).toBe(1000)
    users.end()
    expect(users.take(2000)).toBeUndefined()
    expect(users.isDone).toBe(true)
  })
})

describe('recording', () => {
  const shape = shapeOf(
    ...(() => {
      const plan = planOf('  - { phase: one, rate: 1/s, for: 1s }\n  - { phase: two, rate: 1/s, for: 1s }')
      return [plan, previewOf(plan).phases] as const
    })(),
  )
  const program: Program = {
    journey: 0,
    returning: false,
    operations: [],
    needsLast: false,
    secretSlots: [],
    data: [],
    begin: () => undefined,
  }
  const operation = {
    step: 0,
    place: 0,
    name: 'one',
    checks: [],
    keeps: [],
    timeoutMs: 1000,
    endsIterationOnFailure: false,
  }
  const recorded = (record: (recorder: BucketRecorder, iteration: Iteration) => void): Bucket => {
    let bytes = new Uint8Array()
    const recorder = new BucketRecorder(
      shape,
      new Mask(),
      (bucket) => (bytes = encodeBucket(bucket)),
      () => undefined,
      () => undefined,
    )
    record(recorder, new Iteration(program, 0, 0, 0, [], 900, -1))
    recorder.close(2000, { busy: 0.5, busyOfFive: 0.4, delays: new Distribution(), stallMs: 3, secondStallMs: 0 }, 0)
    return decodeBucket(bytes)
  }
  const sample = (dueMs: number, endedMs: number) => ({
    dueMs,
    startedMs: dueMs,
    endedMs,
    firstByteMs: 0,
    connectMs: -1,
    bytesSent: 1,
    bytesReceived: 2,
    isResent: false,
  })
  const ended = (
    recorder: BucketRecorder,
    iteration: Iteration,
    dueMs: number,
    endedMs: number,
    failure: { kind: 'status' | 'check' | 'timeout'; isOnTime?: boolean } | null,
  ) => {
    recorder.onEnded({
      iteration,
      operation,
      sample: sample(dueMs, endedMs),
      exchange: null,
      received: null,
      checks: [],
      failure: failure === null ? null : { kind: failure.kind, detail: 'd', isOnTime: failure.isOnTime ?? false },
    })
  }

  it('counts a request in the phase in which it was due, and by the phase in which it ended', () => {
    const { steps } = recorded((recorder, iteration) => {
      ended(recorder, iteration, 900, 1100, null)
      ended(recorder, iteration, 1500, 1700, null)
      ended(recorder, iteration, 1900, 2300, null)
    })

    expect(steps.map(({ phase, endPhase, requests }) => [phase, endPhase, requests])).toEqual([
      [0, 1, 1],
      [1, 1, 1],
      [1, -1, 1],
    ])
  })

  it('keeps the times of quick failures apart, but not of those that waited or failed on time alone', () => {
    const { steps, failures } = recorded((recorder, iteration) => {
      ended(recorder, iteration, 900, 910, { kind: 'status' })
      ended(recorder, iteration, 900, 960, { kind: 'timeout' })
      ended(recorder, iteration, 900, 980, { kind: 'check', isOnTime: true })
    })

    expect(steps[0]).toMatchObject({ requests: 3, failed: 3, responseTime: { count: 2 }, failedTime: { count: 1 } })
    expect(failures.map(({ kind, count }) => [kind, count])).toEqual([
      ['status', 1],
      ['timeout', 1],
      ['check', 1],
    ])
  })
})

describe('faults of the wire', () => {
  it.each([
    ['ECONNREFUSED', 'refused'],
    ['ECONNRESET', 'reset'],
    ['UND_ERR_SOCKET', 'reset'],
    ['ENOTFOUND', 'dns'],
    ['CERT_HAS_EXPIRED', 'tls'],
    ['DEPTH_ZERO_SELF_SIGNED_CERT', 'tls'],
    ['HPE_INVALID_CONSTANT', 'protocol'],
    ['NOT_HTTP', 'protocol'],
  ])('%s is told as %s', (code, failure) => {
    expect(wireFaultOf(Object.assign(new Error('x'), { code }))).toMatchObject({ kind: 'failure', failure })
  })

  it.each(['EMFILE', 'EADDRNOTAVAIL', 'ENOMEM'])('%s is the generator’s own', (code) => {
    expect(wireFaultOf(Object.assign(new Error('x'), { code })).kind).toBe('local')
  })
})

// Formats: proc(5) of the Linux man-pages (cpu: user nice system idle iowait irq softirq steal guest guest_nice, in
// hundredths of a second), the kernel's "PSI - Pressure Stall Information" and "Control Group v2" (cpu.stat).
describe('what the system tells of the host', () => {
  it('is read from steal, throttling and pressure', () => {
    const stat = 'cpu  100 0 50 800 10 0 5 35 0 0\ncpu0 1 2 3 4 5 6 7 8 0 0\n'
    const group = 'usage_usec 123\nnr_throttled 4\nthrottled_usec 2500000\n'
    const pressure = 'some avg10=0.00 avg60=0.01 avg300=0.18 total=1500000\nfull avg10=0.00 total=7\n'

    expect(totalsOf(stat, group, pressure, 5)).toEqual({
      atMs: 5,
      processor: 10,
      stolen: 0.35,
      throttled: 2.5,
      waited: 1.5,
    })
    expect(totalsOf('', '', '', 5)).toMatchObject({ processor: 0, stolen: 0, throttled: 0, waited: 0 })
  })
})
