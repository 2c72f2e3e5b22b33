// Random arrivals, users of the closed model, tracks and mixes: held against what is known of them.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  arrivalCounts,
  Dealer,
  dealtEvenly,
  Draws,
  growthWarning,
  JourneyChoice,
  loadFingerprint,
  previewOf,
  curveOf,
  PROFILES,
  profileLoad,
  scalePlan,
  ScheduleCursor,
  TrackArrivals,
  tracksIn,
  usersAt,
  UserSchedule,
  type Deal,
  type Plan,
} from '../src/index.js'
import { planText, read } from './reading.js'

const UNEVEN: Deal = [
  { weight: 3, shares: 2 },
  { weight: 1, shares: 3 },
  { weight: 2, shares: 1 },
]
const DEALS: Deal[] = [...[1, 2, 3, 5].map(dealtEvenly), UNEVEN]
const sharesOf = (deal: Deal) => deal.reduce((sum, { shares }) => sum + shares, 0)
const partOf = (deal: Deal, index: number): number => {
  const parts = deal.flatMap(({ weight, shares }) => Array.from({ length: shares }, () => weight / shares))
  return (parts[index] ?? 0) / deal.reduce((sum, { weight }) => sum + weight, 0)
}

const planOf = (load: string, top = '', journeys?: string): Plan => {
  const { plan, problems } = read(
    planText({ load, top, gates: '  - failed requests at most 1 %', ...(journeys === undefined ? {} : { journeys }) }),
  )
  expect(problems).toEqual([])
  return plan
}
const dueOf = (plan: Plan): number[] =>
  tracksIn(plan.load.phases).flatMap((track) => {
    const arrivals = new TrackArrivals(track, new Draws(plan.seed))
    const due: number[] = []
    while (arrivals.advance()) due.push(arrivals.dueMs)
    return due
  })

describe('random arrivals', () => {
  const seeds = [1, 7, 20260601]
  const poisson = (seed: number) =>
    dueOf({ ...planOf('  - { phase: p, rate: 50/s, for: 400s, spacing: random }'), seed }).map((ms) => ms / 1000)

  // The index of dispersion of counts of a Poisson process is 1; (n − 1) times it is chi-square with n − 1 degrees of
  // freedom. For 399 degrees its 0.05 % and 99.95 % points lie at 309 and 501 (normal approximation of Wilson and
  // Hilferty 1931). Source: D. R. Cox and P. A. W. Lewis, The Statistical Analysis of Series of Events, 1966.
  it.each(seeds)('are as dispersed as a Poisson process (seed %i)', (seed) => {
    const counts = new Array<number>(400).fill(0)
    for (const at of poisson(seed)) counts[Math.floor(at)] = (counts[Math.floor(at)] ?? 0) + 1
    const mean = counts.reduce((sum, count) => sum + count, 0) / 400
    const dispersion = counts.reduce((sum, count) => sum + (count - mean) ** 2, 0) / mean

    expect(dispersion).toBeGreaterThan(309)
    expect(dispersion).toBeLessThan(501)
    // 20 000 expected, with standard deviation √20 000.
    expect(Math.abs(mean * 400 - 20_000)).toBeLessThan(4 * Math.sqrt(20_000))
  })

  // Kolmogorov–Smirnov: √n D stays under 1.95 with probability 99.9 %.
  // Source: N. Smirnov, "Table for estimating the goodness of fit of empirical distributions", 1948.
  it.each(seeds)('have gaps from the exponential distribution (seed %i)', (seed) => {
    const due = poisson(seed)
    const gaps = due
      .slice(1)
      .map((at, index) => at - (due[index] ?? 0))
      .sort((a, b) => a - b)
    const distance = gaps.reduce((most, gap, index) => {
      const expected = 1 - Math.exp(-50 * gap)
      return Math.max(most, Math.abs(expected - index / gaps.length), Math.abs(expected - (index + 1) / gaps.length))
    }, 0)

    expect(Math.sqrt(gaps.length) * distance).toBeLessThan(1.95)
  })

  it('of a batch are exactly as many, in order, and spread like uniform draws', () => {
    const due = dueOf(planOf('  - { phase: b, starts: 5000, for: 100s, spacing: random }'))

    expect(due).toHaveLength(5000)
    expect(due).toEqual([...due].sort((a, b) => a - b))
    // The mean of n uniform draws on 0 to 100 s has standard deviation 100 / √(12 n) s.
    const mean = due.reduce((sum, ms) => sum + ms / 1000, 0) / 5000
    expect(Math.abs(mean - 50)).toBeLessThan((4 * 100) / Math.sqrt(12 * 5000))
  })

  it('follow a ramp: a quarter of them in its first half when it rises from 0', () => {
    const due = dueOf(planOf('  - { phase: r, rate: 0/s to 100/s, for: 200s, spacing: random }'))
    const early = due.filter((ms) => ms < 100_000).length / due.length

    expect(early).toBeGreaterThan(0.23)
    expect(early).toBeLessThan(0.27)
  })

  it('are counted as they come, and even phases keep their own count', () => {
    const plan = planOf(
      '  - { phase: a, rate: 0.25/s, for: 1s }\n  - { phase: b, rate: 20/s, for: 10s, spacing: random }\n  - { phase: c, rate: 0.25/s, for: 1s }',
    )
    const [first, middle, last] = arrivalCounts(plan.load.phases, new Draws(plan.seed))

    // A quarter and a quarter make the half at which one arrives: the random phase between adds nothing to it.
    expect([first, last]).toEqual([0, 1])
    expect(dueOf(plan)).toHaveLength((first ?? 0) + (middle ?? 0) + (last ?? 0))
  })
})

describe('users of the closed model', () => {
  const schedule = (load: string) => {
    const [track] = tracksIn(planOf(load).load.phases)
    if (track === undefined) throw new Error('no track')
    return new UserSchedule(track)
  }

  it('come one by one as the level passes n + ½, and leave again on a fall', () => {
    const users = schedule('  - { phase: up, users: 0 to 10, for: 10s }\n  - { phase: down, users: 10 to 0, for: 10s }')

    expect(users.most).toBe(10)
    expect([0, 4, 9].map((user) => users.nextStart(user, 0)?.atMs)).toEqual([500, 4500, 9500])
    // User 9 is wanted while the level is at least 9½: in the fall for half a second.
    expect(users.nextStart(9, 10_400)?.atMs).toBe(10_400)
    expect(users.nextStart(9, 10_600)).toBeUndefined()
  })

  it('begin at once, or spread over the time that is said', () => {
    const users = schedule('  - { phase: held, users: 5, for: 20s, spread: 10s }')

    expect([0, 1, 4].map((user) => users.nextStart(user, 0)?.atMs)).toEqual([0, 2000, 8000])
    expect(users.nextStart(5, 0)).toBeUndefined()
    expect(users.nextStart(2, 20_000)).toBeUndefined()
  })

  it('are never more than the level says, whatever the load', () => {
    const level = fc.integer({ min: 0, max: 30 })
    // With nobody at either end a phase is a rest, and is written so.
    const levels = fc.tuple(level, level).filter(([from, to]) => from + to > 0)
    const phase = fc.tuple(levels, fc.integer({ min: 1, max: 20 }))
    fc.assert(
      fc.property(
        fc.array(phase, { minLength: 1, maxLength: 5 }),
        fc.integer({ min: 0, max: 99 }),
        (phases, percent) => {
          const load = phases
            .map(
              ([[from, to], seconds], index) =>
                `  - { phase: p${String(index)}, users: ${String(from)} to ${String(to)}, for: ${String(seconds)}s }`,
            )
            .join('\n')
          const plan = planOf(load)
          const users = schedule(load)
          const at = (plan.load.phases.reduce((sum, { seconds }) => sum + seconds, 0) * percent) / 100
          let left = at
          const now = plan.load.phases.find(({ seconds }) => (left -= seconds) < 0)
          if (now === undefined) return
          const wanted = usersAt(now, left + now.seconds)
          const idle = Array.from({ length: users.most }, (_, user) => users.nextStart(user, at * 1000)?.atMs)
          const active = idle.filter((startMs) => startMs === at * 1000).length
          expect(Math.abs(active - wanted)).toBeLessThanOrEqual(1)
        },
      ),
      { numRuns: 100 },
    )
  })
})

describe('journeys', () => {
  const journeys =
    '  a:\n    weight: 7\n    steps:\n      - send: GET /a\n  b:\n    weight: 3\n    steps:\n      - send: GET /b\n  own:\n    load:\n      - { phase: o, rate: 3/s, for: 20s }\n    steps:\n      - send: GET /o'

  it('of two tracks come in order of time, each with a number of its own', () => {
    const cursor = new ScheduleCursor(planOf('  - { phase: p, rate: 10/s, for: 20s }', '', journeys))
    const seen: { user: number; journey: number; dueMs: number }[] = []
    while (cursor.advance()) seen.push({ user: cursor.user, journey: cursor.journey, dueMs: cursor.dueMs })

    expect(seen).toHaveLength(260)
    expect(seen.map(({ dueMs }) => dueMs)).toEqual(seen.map(({ dueMs }) => dueMs).sort((a, b) => a - b))
    expect(new Set(seen.map(({ user }) => user)).size).toBe(260)
    expect([0, 1, 2].map((journey) => seen.filter((one) => one.journey === journey).length)).toEqual([140, 60, 60])
  })

  it('are shared among any number: all of them, each once, due as for one alone, each journey dealt in turn', () => {
    const loads = [
      '  - { phase: p, rate: 10/s, for: 20s }\n  - { phase: r, rate: 10/s to 40/s, for: 10s, spacing: random }',
      '  - { phase: b, starts: 70, for: 5s, spacing: random }\n  - { phase: q, rest: 3s }\n  - { phase: p, rate: 7.3/s, for: 9s }',
    ]
    const seen = (cursor: ScheduleCursor) => {
      const all: { user: number; dueMs: number; phase: number; journey: number; place: number }[] = []
      while (cursor.advance()) {
        const { user, dueMs, phase, journey } = cursor
        all.push({ ...{ user, dueMs, phase, journey }, place: cursor.arrivals[journey] ?? 0 })
      }
      return all
    }
    for (const [load, top] of loads.flatMap((one) => [[one, ''] as const, [one, 'mix: drawn\n'] as const])) {
      const plan = planOf(load, top, journeys)
      const whole = seen(new ScheduleCursor(plan))
      for (const [deal, isOrdered] of DEALS.flatMap((one) => [[one, true] as const, [one, false] as const])) {
        const shares = Array.from({ length: sharesOf(deal) }, (_, index) =>
          seen(new ScheduleCursor(plan, { index, deal, isOrdered })),
        )
        expect(shares.flat().sort((a, b) => a.dueMs - b.dueMs || a.user - b.user)).toEqual(
          [...whole].sort((a, b) => a.dueMs - b.dueMs || a.user - b.user),
        )
        for (const journey of plan.journeys.keys()) {
          const counts = shares.map((share) => share.filter((one) => one.journey === journey).length)
          const total = counts.reduce((sum, count) => sum + count, 0)
          // Where a round of the deal begins is the journey's own: each has its part to within one on either side.
          for (const [index, count] of counts.entries())
            expect(Math.abs(count - total * partOf(deal, index))).toBeLessThan(2)
        }
      }
    }
  })

  it('are dealt to places by their weights, each to within one at any time, and so is what is counted', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ weight: fc.integer({ min: 1, max: 9 }), shares: fc.integer({ min: 1, max: 4 }) }), {
          ...{ minLength: 1, maxLength: 4 },
        }),
        fc.integer({ min: 1, max: 300 }),
        (deal, count) => {
          const dealer = new Dealer(deal)
          const had = Array.from({ length: sharesOf(deal) }, () => 0)
          for (let nth = 0; nth < count; nth++) had[dealer.ownerOf(nth)] = (had[dealer.ownerOf(nth)] ?? 0) + 1
          expect(had.map((_, index) => dealer.partOf(count, index))).toEqual(had)
          let first = 0
          for (const { weight, shares } of deal) {
            const ofPlace = had.slice(first, first + shares)
            first += shares
            const due = (count * weight) / deal.reduce((sum, place) => sum + place.weight, 0)
            expect(Math.abs(ofPlace.reduce((sum, one) => sum + one, 0) - due)).toBeLessThan(1 + 1e-9)
            expect(Math.max(...ofPlace) - Math.min(...ofPlace)).toBeLessThanOrEqual(1)
          }
        },
      ),
    )
  })

  it('that are drawn come by their weights, and the same for the same seed', () => {
    const drawn = (seed: number) => {
      const cursor = new ScheduleCursor({
        ...planOf('  - { phase: p, rate: 100/s, for: 100s }', 'mix: drawn\n', journeys),
        seed,
      })
      const chosen: number[] = []
      while (cursor.advance()) if (cursor.track === 0) chosen.push(cursor.journey)
      return chosen
    }
    const first = drawn(5)

    expect(first).toEqual(drawn(5))
    expect(first).not.toEqual(drawn(6))
    // Binomial: 10 000 draws with share 0.3 have standard deviation 46.
    expect(Math.abs(first.filter((journey) => journey === 1).length - 3000)).toBeLessThan(200)
  })

  it('of a concurrent user keep their weights for each user alone', () => {
    const plan = planOf('  - { phase: p, users: 4, for: 10s }', '', journeys)
    const [track] = tracksIn(plan.load.phases)
    if (track === undefined) throw new Error('no track')
    const choice = new JourneyChoice(plan, track)
    for (const user of [0, 1, 3]) {
      const walked = Array.from({ length: 100 }, (_, iteration) => choice.ofIteration(user, iteration))
      expect(walked.filter((journey) => journey === 0)).toHaveLength(70)
    }
  })
})

describe('a plan at another scale', () => {
  it('has its rates, starts, users and caps multiplied, half up and at least 1, but not its iterations', () => {
    const plan = planOf(
      '  - { phase: a, rate: 40/s, for: 1s }\n  - { phase: b, starts: 25, for: 1s }\n  - { phase: c, users: 3 to 15, for: 1s }\n  - { phase: d, users: 2, iterations: 8 }',
      'cap: 500 users\n',
    )

    expect(scalePlan(plan, 0.1).load).toMatchObject({
      cap: 50,
      phases: [{ rate: 4 }, { starts: 3 }, { from: 1, to: 2 }, { users: 1, iterations: 8 }],
    })
    expect(loadFingerprint(scalePlan(plan, 0.1))).not.toBe(loadFingerprint(plan))
    expect(loadFingerprint(planOf('  # moved\n  - { phase: a, rate: 40/s, for: 1s }'))).toBe(
      loadFingerprint(planOf('  - { phase: a, rate: 40/s, for: 1s }')),
    )
  })
})

describe('a preview', () => {
  const journeys =
    '  look around:\n    steps:\n      - send: GET /a\n      - repeat: 3\n        steps:\n          - send: GET /b\n  senderPool:\n    load:\n      - { phase: senderPool, users: 0 to 12, for: 30s }\n    steps:\n      - send: GET /c'

  it('sums tracks, counts repeats, and expects users in flight by Little’s law', () => {
    const plan = planOf('  - { phase: p, rate: 10/s, for: 20s }', '', journeys)
    const preview = previewOf(
      plan,
      new Map([
        ['look around', 2500],
        ['senderPool', 100],
      ]),
    )

    expect(preview).toMatchObject({ seconds: 30, arrivals: 200, requests: 800, peakRate: 10, mostUsers: 12 })
    // L = λ W: 10 arrivals a second, each for 2.5 s. Source: J. D. C. Little, "A proof for the queuing formula L = λW",
    // 1961.
    expect(preview.usersInFlight).toBeCloseTo(25, 6)
    expect(preview.tracks).toMatchObject([
      { name: null, arrivals: 200 },
      { name: 'senderPool', mostUsers: 12 },
    ])
    expect(previewOf(plan).usersInFlight).toBeNull()
    expect(curveOf(preview).users.at(-2)).toEqual([30, 12])
  })

  it('draws users in flight: who came within the last W is there, and each of them for W', () => {
    const plan = planOf('  - { phase: up, rate: 2/s to 10/s, for: 40s }\n  - { phase: rest, rest: 20s }')
    const names = plan.journeys.map(({ name }): [string, number] => [name, 4000])
    const { inFlight } = curveOf(previewOf(plan, new Map(names)))
    const at = (second: number) => inFlight.find(([seconds]) => Math.abs(seconds - second) < 0.151)?.[1] ?? NaN

    // A ramp from 2/s to 10/s in 40 s: between 26 s and 30 s the mean rate is 7.6/s, for 4 s.
    expect(at(30)).toBeCloseTo(30.4, 6)
    expect(at(44.1)).toBe(0)
    // The area under L is arrivals times W: 240 times 4 s.
    const area = inFlight.reduce((sum, [, value]) => sum + value * (60 / (inFlight.length - 1)), 0)
    expect(area / 960).toBeCloseTo(1, 2)
    expect(curveOf(previewOf(plan)).inFlight).toEqual([])
  })
})

describe('a ready-made load', () => {
  it.each(PROFILES)('%s is an ordinary load of the length asked for', (kind) => {
    for (const model of ['rate', 'users'] as const) {
      const text = profileLoad(kind, { kind: model, usual: 5, peak: 40, seconds: 600 })
      const plan = planOf(text.replace('load:\n', '').trimEnd())
      const preview = previewOf(plan)

      expect(preview.seconds).toBe(kind === 'smoke' ? 60 : 600)
      const most = kind === 'stress' || kind === 'spike' ? 40 : kind === 'smoke' ? 1 : 5
      expect(model === 'users' || kind === 'smoke' ? preview.mostUsers : preview.peakRate).toBe(most)
    }
  })

  it('says when a larger one runs before a smaller one has held', () => {
    const large = { peakRate: 40, mostUsers: 0, seconds: 600 }

    expect(growthWarning(large, [])).toMatch(/smoke load/)
    expect(growthWarning(large, [{ peakRate: 5, mostUsers: 0, seconds: 60 }])).toMatch(/40\/s.*5\/s/)
    expect(growthWarning(large, [{ peakRate: 25, mostUsers: 0, seconds: 60 }])).toBeUndefined()
    expect(growthWarning({ peakRate: 0, mostUsers: 1, seconds: 60 }, [])).toBeUndefined()
  })
})
