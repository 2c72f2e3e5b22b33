// A fleet that is attacked: by a generator with its own key, by words that are not the coordinator's, and by orders
// that no owner of a target has permitted.
import { jetstream, jetstreamManager } from '@nats-io/jetstream'
import { createCurve } from '@nats-io/nkeys'
import type { NatsConnection } from '@nats-io/transport-node'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { fleetGenerators, removeGenerator, type Fleet } from '@jolt-gate/engine'
import { connectBus } from '../src/fleet/bus.js'
import { newSigningPair } from '../src/fleet/keys.js'
import { orderFault } from '../src/fleet/part.js'
import { renewRow } from '../src/fleet/roster.js'
import { signingKey } from '../src/fleet/sealing.js'
import { inboxOf, partSubject, rowSubject, STREAM, wordSubject, type PartAddress } from '../src/fleet/subjects.js'
import { envelopeBytes, replyBytes, sealedWord } from '../src/fleet/words.js'
import { TestFleet, VERSION } from './fleet.js'
import { ONE_REQUEST, planFor, runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

const LOAD = `${ONE_REQUEST}load:\n  - { phase: p, rate: 10/s, for: 2s }\n`
let server: TrueServer
let fleet: TestFleet
let coordinator: Fleet
/** What a generator that was broken into holds: the key of `north/bad`. */
let bad: NatsConnection
const violations: string[] = []

beforeAll(async () => {
  server = await startTrueServer((_, response) => response.end('{}'))
  fleet = await TestFleet.start(['north/good', 'south/bad', 'north/gone'])
  await fleet.join('good')
  coordinator = await fleet.coordinator()
  bad = await busOf('bad', 'south/bad')
  void (async () => {
    for await (const status of bad.status()) if (status.type === 'error') violations.push(status.error.message)
  })()
})
afterAll(async () => {
  await bad.close()
  await coordinator.close()
  await fleet.stop()
  await server.stop()
})

function busOf(name: string, id: string): Promise<NatsConnection> {
  const { seed, authority } = fleet.keyOf(name)
  return connectBus({ address: fleet.address, seed, authority, inbox: inboxOf(id), name: id })
}

let runs = 0
async function runByFleet(version = VERSION, generators?: number) {
  const asked = { fleet: coordinator, present: await coordinator.present(), version, generators }
  return runPlan(server.origin, LOAD, { id: `attacked-${String(++runs)}`, generators: fleetGenerators(() => asked) })
}

describe('a generator that was broken into', () => {
  it.each([
    ['tells in the name of another', 'gate.from.run.north/good.bucket.0.0.1'],
    ['writes the row of another', rowSubject('north/good')],
    ['says that it stands elsewhere', rowSubject('north/bad')],
    ['gives orders', wordSubject('north/good')],
    ['asks for what others told', `$JS.API.CONSUMER.CREATE.${STREAM}`],
    ['purges what others told', `$JS.API.STREAM.PURGE.${STREAM}`],
    ['answers in the name of the coordinator', '_INBOX.coordinator.x'],
  ])('may not: it %s', async (_, subject) => {
    violations.length = 0
    bad.publish(subject, '{}')
    await bad.flush()
    await expect.poll(() => violations.join('\n')).toContain(subject)
  })

  it.each([wordSubject('north/good'), 'gate.>', '>', '_INBOX.north/good.>', '$KV.>'])(
    'may not listen to %s',
    async (subject) => {
      const heard: string[] = []
      bad.subscribe(subject, {
        callback: (error, message) => void heard.push(error === null ? message.subject : 'refused'),
      })
      await bad.flush()
      await expect.poll(() => heard).toEqual(['refused'])
    },
  )

  it.each([
    ['bytes that are no second', 'bucket', Buffer.from('nonsense'), /cannot be read/],
    ['a second that the run does not have', 'made', Buffer.from('{"atMs":"soon"}'), /cannot be read/],
    ['what is no kind of thing', 'shell', Buffer.from('{}'), /cannot be read/],
  ])('makes a run void that tells %s', async (_, kind, bytes, why) => {
    const done = pretend(async ({ tell }) => {
      await tell({ kind, number: 0, part: 0, parts: 1 }, bytes)
    })
    const { judgement } = await runByFleet()
    done.stop()

    expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(judgement.reasons.join('\n')).toMatch(why)
  })

  it('makes a run void that tells fifty megabytes, and no more of it is taken', async () => {
    const done = pretend(async ({ tell }) => {
      await tell({ kind: 'samples', number: 0, part: 0, parts: 3200 }, Buffer.alloc(16_384))
    })
    const { judgement } = await runByFleet()
    done.stop()

    expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
    expect(judgement.reasons.join('\n')).toMatch(/south\/bad was lost: a part of something too large/)
  })

  it.each([
    ['an order', 0],
    ['a word of the load', 40],
  ])(
    'makes a run void that answers %s with nonsense',
    async (_, from) => {
      const done = pretend(
        () => Promise.resolve(),
        (word) => (word < from ? undefined : Buffer.from('{"kind":"root"}')),
      )
      const { judgement } = await runByFleet()
      done.stop()

      expect(judgement).toMatchObject({ verdict: 'void', exitCode: 3 })
      expect(judgement.reasons.join('\n')).toMatch(/south\/bad was lost: what it answers cannot be read/)
    },
    120_000,
  )

  it('changes nothing in a run that it makes no part of', async () => {
    await expect.poll(async () => (await coordinator.present()).length, { timeout: 20_000 }).toBe(1)
    const flood = setInterval(() => {
      const address = { run: `attacked-${String(runs)}`, id: 'south/bad', kind: 'bucket', part: 0, parts: 1 }
      for (let number = 0; number < 20; number++) bad.publish(partSubject({ ...address, number }), Buffer.alloc(4000))
    }, 20)
    const { judgement, result } = await runByFleet()
    clearInterval(flood)

    expect(judgement).toMatchObject({ verdict: 'open' })
    expect(result.generator.fleet?.map(({ id }) => id)).toEqual(['north/good'])
    const manager = await jetstreamManager(coordinator.bus)
    await manager.streams.purge(STREAM)
  })

  /**
   * Takes part in the next run as a generator does, up to the load; then does as it is told here.
   *
   * @param answer - what it says to each word; undefined for what a generator would say
   */
  function pretend(
    then: (acting: {
      tell: (address: Omit<PartAddress, 'run' | 'id'>, bytes: Uint8Array) => Promise<unknown>
    }) => Promise<void>,
    answer: (word: number) => Uint8Array | undefined = () => undefined,
  ): { stop: () => void } {
    const id = 'south/bad'
    const own = { version: VERSION, session: 'bad', key: createCurve().getPublicKey(), allowsLoopback: true, run: null }
    const timer = setInterval(() => {
      renewRow(bad, id, { ...own, cores: 2, threads: 1, mostPerSecond: null, now: null })
    }, 200)
    let words = 0
    const listening = bad.subscribe(wordSubject(id), {
      callback: (error, message) => {
        if (error !== null) return
        message.respond(answer(words) ?? replyBytes({ kind: 'done', atMs: performance.now() }))
        // The order, and its clock, come before the load.
        if (++words === 35)
          void then({
            tell: (address, bytes) =>
              jetstream(bad).publish(partSubject({ run: `attacked-${String(runs)}`, id, ...address }), bytes),
          })
      },
    })
    return {
      stop: () => {
        clearInterval(timer)
        listening.unsubscribe()
      },
    }
  }
})

describe('words', () => {
  const word = (epoch: number, count: number, signs = coordinator.signs) =>
    envelopeBytes(
      {
        to: 'north/good',
        run: 'another',
        epoch,
        count,
        body: { sealed: sealedWord({ kind: 'beat' }, Buffer.alloc(32)) },
      },
      signs,
    )
  const asked = async (bytes: Uint8Array, timeout = 500) =>
    (await coordinator.bus.request(wordSubject('north/good'), bytes, { timeout })).string()

  it('that are not signed by the coordinator are not answered, nor are those to another', async () => {
    const other = signingKey(newSigningPair().signs)
    const toOther = envelopeBytes(
      { to: 'south/bad', run: 'r', epoch: 1, count: 0, body: { sealed: new Uint8Array() } },
      coordinator.signs,
    )
    for (const bytes of [word(1, 0, other), Buffer.from('{}'), new Uint8Array(), Buffer.alloc(900_000), toOther])
      await expect(asked(bytes)).rejects.toThrow(/timeout/i)
  })

  it('of a run that a generator makes no part of are refused, whatever they say', async () => {
    expect(await asked(word(1, 0))).toMatch(/it makes no part of run another/)
  })
})

describe('an order', () => {
  it('of another version is not given, and one to a generator that may not load itself neither', async () => {
    // Who pretended before is heard of for a moment more.
    await expect.poll(async () => (await coordinator.present()).length, { timeout: 20_000 }).toBe(1)
    const { judgement } = await runByFleet('9.9.9')

    expect(judgement).toMatchObject({
      verdict: 'void',
      exitCode: 3,
      reasons: ['fleet: no generator is free; 1 of another version'],
    })
  })

  it.each([
    ['a target that nobody has permitted', undefined, /only with a permission/],
    [
      'more than its owner permits, over all generators',
      { by: 'harbour office', ratePerSecond: 5, hours: undefined, until: '2099-01-01' },
      /reaches 10 .*at most 5\/s/,
    ],
  ])('is refused by each generator: %s', async (_, permission, why) => {
    const { plan, target } = planFor(server.origin, LOAD)
    const own = { allowsLoopback: false, parcelBytes: 1000, threads: 1 }

    expect(await orderFault({ plan, target: { ...target, origin: 'http://198.51.100.7', permission } }, own)).toMatch(
      why,
    )
  })

  it('against the generator itself, of too many threads or too large is refused', async () => {
    const { plan, target } = planFor(server.origin, LOAD)
    const own = { allowsLoopback: true, parcelBytes: 1000, threads: 1 }

    expect(await orderFault({ plan, target }, { ...own, allowsLoopback: false })).toMatch(/would be its own machine/)
    const through = { ...target, origin: 'http://198.51.100.7', proxy: 'http://127.0.0.1:3128' }
    expect(await orderFault({ plan, target: through }, { ...own, allowsLoopback: false })).toMatch(
      /3128 would be its own/,
    )
    expect(await orderFault({ plan, target }, { ...own, threads: 10_000 })).toMatch(/10000 threads/)
    expect(await orderFault({ plan, target }, { ...own, parcelBytes: 1e15 })).toMatch(/do not fit/)
    expect(await orderFault({ plan, target }, own)).toBeUndefined()
  })
})

describe('a key', () => {
  it('that was taken away connects no more, and is sent away', async () => {
    const gone = await busOf('gone', 'north/gone')
    const closed = gone.closed()
    removeGenerator(fleet.folder, 'gone')
    fleet.reload()
    await Promise.race([closed, expect.poll(() => gone.isClosed(), { timeout: 10_000 }).toBe(true)])

    await expect(busOf('gone', 'north/gone')).rejects.toThrow(/authorization/i)
  })

  it('of another fleet connects to none of this', async () => {
    const other = await TestFleet.start(['north/good'])
    const { seed, authority } = other.keyOf('good')
    await expect(connectBus({ address: fleet.address, seed, authority, inbox: '_INBOX.x', name: 'x' })).rejects.toThrow(
      /authorization/i,
    )
    await other.stop()
  })
})
