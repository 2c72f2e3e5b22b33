// Remote calls against servers of another library (@grpc/grpc-js): unary and all streams, statuses, deadlines, faults.
import { once } from 'node:events'
import { createServer as createH2, type Http2Server } from 'node:http2'
import type { AddressInfo } from 'node:net'
import {
  Metadata,
  Server,
  ServerCredentials,
  status,
  type handleBidiStreamingCall,
  type handleClientStreamingCall,
  type handleServerStreamingCall,
  type handleUnaryCall,
  type ServiceDefinition,
} from '@grpc/grpc-js'
import protobuf from 'protobufjs'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { frameOf, FrameReader } from '../src/walk/steps/grpc/frames.js'
import { journeyOf, planFor, runPlan } from './run-plan.js'

const PROTO = `syntax = "proto3";
package larkholm;
import "shared/berth.proto";
import "google/protobuf/timestamp.proto";
enum Deck { UPPER = 0; LOWER = 1; }
message Ask { string from = 1; int32 count = 2; Deck deck = 3; repeated string notes = 4; int64 ticket = 5; bytes seal = 6; map<string, int32> fares = 7; Berth berth = 8; bool is_late = 9; double weight = 10; }
message Told { string ferry = 1; int32 number = 2; int64 ticket = 3; Deck deck = 4; google.protobuf.Timestamp at = 5; repeated Ask asked = 6; }
service Board {
  rpc Next (Ask) returns (Told);
  rpc Watch (Ask) returns (stream Told);
  rpc Load (stream Ask) returns (Told);
  rpc Talk (stream Ask) returns (stream Told);
  rpc Missing (Ask) returns (Told);
}
`
const FILES = {
  'proto/board.proto': PROTO,
  'proto/shared/berth.proto': 'syntax = "proto3";\npackage larkholm;\nmessage Berth { int32 number = 1; }\n',
}

interface Ask {
  from: string
  count: number
}
let server: Server
let origin = ''
const asked: { [name: string]: unknown }[] = []
const metadata: Record<string, unknown>[] = []
const others: Http2Server[] = []

beforeAll(async () => {
  const root = new protobuf.Root()
  for (const text of [FILES['proto/shared/berth.proto'], PROTO]) protobuf.parse(text, root)
  root.addJSON(protobuf.common.get('google/protobuf/timestamp.proto')?.nested ?? {})
  const [ask, told] = [root.lookupType('larkholm.Ask'), root.lookupType('larkholm.Told')]
  const method = (name: string, requestStream: boolean, responseStream: boolean) => ({
    ...{ path: `/larkholm.Board/${name}`, requestStream, responseStream },
    requestSerialize: (value: object) => Buffer.from(ask.encode(ask.fromObject(value)).finish()),
    requestDeserialize: (bytes: Buffer) => ask.toObject(ask.decode(bytes), { longs: String, enums: String }),
    responseSerialize: (value: object) => Buffer.from(told.encode(told.fromObject(value)).finish()),
    responseDeserialize: (bytes: Buffer) => told.decode(bytes),
  })
  const definition: ServiceDefinition = {
    Next: method('Next', false, false),
    Watch: method('Watch', false, true),
    Load: method('Load', true, false),
    Talk: method('Talk', true, true),
  }
  server = new Server()
  const next: handleUnaryCall<Ask, object> = (call, answer) => {
    asked.push({ ...call.request })
    metadata.push(call.metadata.getMap())
    const { from } = call.request
    if (from === 'nowhere') answer({ code: status.NOT_FOUND, details: 'no such pier: æ' })
    else if (from === 'slow') setTimeout(() => answer(null, { ferry: 'late' }), 2000)
    else answer(null, { ferry: `to ${from}`, number: 7, ticket: '9007199254740993', deck: 1 }, trailing())
  }
  const watch: handleServerStreamingCall<Ask, object> = (call) => {
    for (const number of [1, 2, 3]) call.write({ ferry: 'f', number })
    call.end()
  }
  const load: handleClientStreamingCall<Ask, object> = (call, answer) => {
    let sum = 0
    call.on('data', ({ count }: Ask) => (sum += count))
    call.on('end', () => answer(null, { number: sum }))
  }
  const talk: handleBidiStreamingCall<Ask, object> = (call) => {
    call.on('data', ({ count }: Ask) => call.write({ number: 2 * count }))
    call.on('end', () => call.end())
  }
  server.addService(definition, { Next: next, Watch: watch, Load: load, Talk: talk })
  const port = await new Promise<number>((resolve, reject) => {
    server.bindAsync('127.0.0.1:0', ServerCredentials.createInsecure(), (error, bound) => {
      if (error === null) resolve(bound)
      else reject(error)
    })
  })
  origin = `http://127.0.0.1:${String(port)}`
})
afterAll(() => {
  server.forceShutdown()
  for (const one of others) one.close()
})
const trailing = () => {
  const sent = new Metadata()
  sent.set('x-berth', '4')
  return sent
}

const call = (method: string, more: string) =>
  `      - grpc: larkholm.Board/${method}\n        name: ${method}\n        proto: proto/board.proto\n${more}`
const run = (steps: string, starts = 3, top = '') => runPlan(origin, journeyOf(steps, starts, top), { files: FILES })

describe('a call', () => {
  it('sends a message in the names of JSON, and is checked by its status, its answer and its metadata', async () => {
    asked.length = metadata.length = 0
    const { result } = await run(
      call(
        'Next',
        `        message: { from: Ostrey, count: 3, deck: LOWER, notes: [a, b], ticket: "9007199254740993", seal: "AAEC", fares: { child: 4 }, berth: { number: 2 }, isLate: true, weight: 1.5 }
        metadata: { x-deck: lower }
        check:
          - status is OK
          - json $.ferry is "to Ostrey"
          - json $.ticket is "9007199254740993"
          - json $.deck is "LOWER"
          - header x-berth is "4"
        keep: { ferry: json $.ferry }
`,
      ) +
        call(
          'Next',
          '        message: { from: "{ferry}" }\n        check: ["json $.ferry is \\"to to Ostrey\\""]\n',
        ).replace('name: Next', 'name: again'),
    )
    expect(result.steps.map(({ requests, failed, failures }) => [requests, failed, failures])).toEqual([
      [3, 0, []],
      [3, 0, []],
    ])
    expect(asked[0]).toMatchObject({
      ...{ from: 'Ostrey', count: 3, deck: 'LOWER', notes: ['a', 'b'], ticket: '9007199254740993' },
      ...{ fares: { child: 4 }, berth: { number: 2 }, isLate: true, weight: 1.5 },
    })
    expect(metadata[0]).toMatchObject({ 'x-deck': 'lower' })
  })

  it('streams either way, or both: its answers are a list', async () => {
    const { result } = await run(
      call('Watch', '        check: ["json $ has 3 items", "json $[2].number is 3"]\n') +
        call(
          'Load',
          '        message: [{ count: 1 }, { count: 2 }, { count: 39 }]\n        check: [json $.number is 42]\n',
        ) +
        call('Talk', '        message: [{ count: 1 }, { count: 5 }]\n        check: ["json $[1].number is 10"]\n'),
    )
    expect(result.steps.map(({ name, failures }) => [name, failures])).toEqual([
      ['Watch', []],
      ['Load', []],
      ['Talk', []],
    ])
  })

  it.each([
    ['a status that is not OK', 'Next', '        message: { from: nowhere }\n', 'grpc', /NOT_FOUND: no such pier: æ/],
    ['a method that the service lacks', 'Missing', '', 'grpc', /UNIMPLEMENTED/],
    ['its deadline', 'Next', '        message: { from: slow }\n        timeout: 200ms\n', 'timeout', /200 ms/],
    ['a status that was not asked for', 'Next', '        check: [status is NOT_FOUND]\n', 'status', /0/],
  ])('fails by %s', async (_, method, more, kind, detail) => {
    const { result, judgement } = await run(call(method, more), 2)
    expect(result.steps[0]?.failures).toMatchObject([
      { kind, count: 2, detail: expect.stringMatching(detail) as string },
    ])
    expect(judgement.verdict).toBe('shut')
  })

  it('may be meant to fail', async () => {
    const { result } = await run(
      call('Next', '        message: { from: nowhere }\n        check: [status is NOT_FOUND]\n'),
    )
    expect(result.totals).toMatchObject({ requests: 3, failedRequests: 0 })
  })

  it('goes over the network of its user', async () => {
    const cell = 'networks:\n  - { network: cell, delay: 40ms }\n'
    const { result } = await run(
      call('Next', '        message: { from: a }\n').repeat(2).replace('name: Next', 'name: first'),
      2,
      cell,
    )
    const [first, second] = result.steps.map(({ responseTime }) => responseTime?.min ?? 0)
    expect(result.totals.failedRequests).toBe(0)
    expect(first).toBeGreaterThan(80)
    expect(second).toBeGreaterThan(40)
  })

  it('with a value that is none of its field is a fault of ours, never a wrong message', async () => {
    const steps = `${call('Next', '        message: { from: a }\n        keep: { ferry: json $.ferry }\n')}${call('Next', '        message: { count: "{ferry}" }\n').replace('name: Next', 'name: wrong')}`
    const { result, judgement } = await run(steps, 1)
    expect(result.steps[1]?.failures).toMatchObject([{ kind: 'local', detail: 'the message, count is no int32' }])
    expect(judgement.verdict).not.toBe('open')
  })
})

describe('a hostile service', () => {
  type Answer = Parameters<Http2Server['on']>[1]
  async function failing(answer: Answer): Promise<unknown> {
    const h2 = createH2().on('stream', answer as (...given: unknown[]) => void)
    others.push(h2)
    h2.on('sessionError', () => undefined)
    h2.listen(0, '127.0.0.1')
    await once(h2, 'listening')
    const at = `http://127.0.0.1:${String((h2.address() as AddressInfo).port)}`
    const steps = call('Next', '        timeout: 5s\n')
    const { result } = await runPlan(at, journeyOf(steps, 1), { files: FILES })
    return result.steps[0]?.failures[0]?.kind
  }
  interface Stream {
    respond: (headers: object, options?: object) => void
    on: (name: string, take: () => void) => void
    write: (bytes: Buffer) => boolean
    end: (bytes?: Buffer) => void
    sendTrailers: (headers: object) => void
    close: (code: number) => void
    destroyed: boolean
  }
  const OK = { ':status': 200, 'content-type': 'application/grpc' }
  const answering = (bytes: Buffer, trailers: object) => (stream: Stream) => {
    stream.on('error', () => undefined)
    stream.respond(OK, { waitForTrailers: true })
    stream.on('wantTrailers', () => stream.sendTrailers(trailers))
    stream.end(bytes)
  }
  it.each([
    ['no status', answering(frameOf(Buffer.alloc(0)), { other: 'x' }), 'reset'],
    ['OK, and no message', answering(Buffer.alloc(0), { 'grpc-status': '0' }), 'protocol'],
    ['a compressed message', answering(Buffer.from([1, 0, 0, 0, 0]), { 'grpc-status': '0' }), 'decoding'],
    ['a message without an end', answering(Buffer.from([0, 0, 0, 0, 9, 1]), { 'grpc-status': '0' }), 'protocol'],
    ['a message that is none', answering(frameOf(Buffer.from([10, 200])), { 'grpc-status': '0' }), 'decoding'],
    ['a length of 4 GB', answering(Buffer.from([0, 255, 255, 255, 255, 1]), { 'grpc-status': '0' }), 'too large'],
    [
      'another type',
      (stream: Stream) => {
        stream.respond({ ':status': 200, 'content-type': 'text/html' })
        stream.end()
      },
      'protocol',
    ],
    [
      'another status',
      (stream: Stream) => {
        stream.respond({ ':status': 503 })
        stream.end()
      },
      'status',
    ],
    [
      'a stream that is closed',
      (stream: Stream) => {
        stream.on('error', () => undefined)
        stream.close(2)
      },
      'reset',
    ],
    [
      'an answer without end',
      (stream: Stream) => {
        stream.on('error', () => undefined)
        stream.respond(OK)
        const more = () => {
          while (!stream.destroyed && stream.write(frameOf(Buffer.alloc(60_000))));
        }
        stream.on('drain', more)
        more()
      },
      'too large',
    ],
  ])('%s', async (_, answer, kind) => {
    expect(await failing(answer as Answer)).toBe(kind)
  })

  it('that is not there is refused', async () => {
    const { result } = await runPlan('http://127.0.0.1:9', journeyOf(call('Next', ''), 1), { files: FILES })
    expect(result.steps[0]?.failures[0]?.kind).toBe('refused')
  })
})

it('messages that come in any pieces are put together', () => {
  const bytes = Buffer.concat([frameOf(Buffer.from('one')), frameOf(Buffer.alloc(0)), frameOf(Buffer.alloc(300, 7))])
  for (const size of [1, 2, 3, 7, 64, 1000]) {
    const reader = new FrameReader()
    for (let at = 0; at < bytes.length; at += size) expect(reader.take(bytes.subarray(at, at + size))).toBeUndefined()
    expect(reader.messages.map(({ length }) => length)).toEqual([3, 0, 300])
    expect(reader.isWhole).toBe(true)
  }
})

describe('a step of a call', () => {
  it.each([
    ['larkholm.Board', '', {}, /grpc needs package\.Service\/Method/],
    ['larkholm.Bord/Next', '', {}, /no service called "larkholm\.Bord": did you mean larkholm\.Board\?/],
    ['larkholm.Board/Nxt', '', {}, /did you mean Next\?/],
    ['larkholm.Board/Next', '        message: { frm: a }\n', {}, /no field of Ask called "frm": did you mean from\?/],
    ['larkholm.Board/Next', '        message: { berth: { nr: 1 } }\n', {}, /no field of Berth called "nr"/],
    ['larkholm.Board/Next', '        message: [{ from: a }, { from: b }]\n', {}, /takes one message/],
    ['larkholm.Board/Next', '        check: [status is 200]\n', {}, /the status of a call is a name/],
    ['larkholm.Board/Next', '        reflection: yes\n', {}, /has no "reflection"/],
    [
      'larkholm.Board/Next',
      '',
      { 'proto/shared/berth.proto': undefined },
      /imports shared\/berth\.proto, which is not in/,
    ],
    ['larkholm.Board/Next', '', { 'proto/board.proto': 'syntax = "proto3"; message {' }, /board\.proto: /],
    ['larkholm.Board/Next', '', { 'proto/board.proto': `import "board.proto";\n${'message A {'.repeat(5000)}` }, /./],
  ])('%s %s', (called, more, files, words) => {
    const steps = `      - grpc: ${called}\n        proto: proto/board.proto\n${more}`
    expect(() =>
      planFor(origin, journeyOf(steps), { files: { ...FILES, ...files } as Record<string, string> }),
    ).toThrow(words)
  })

  it('may import itself, in a ring, or what leads outside: each file is read once, and none outside', () => {
    const ring = {
      'proto/board.proto': PROTO.replace('package', 'import "board.proto";\nimport "ring.proto";\npackage'),
      'proto/ring.proto': 'import "board.proto";\n',
    }
    const steps = call('Next', '')
    expect(planFor(origin, journeyOf(steps), { files: { ...FILES, ...ring } }).plan.journeys).toHaveLength(1)
    const outside = { 'proto/board.proto': PROTO.replace('shared/berth', '../../etc/berth') }
    expect(() => planFor(origin, journeyOf(steps), { files: { ...FILES, ...outside } })).toThrow(
      /is not in the repository/,
    )
    const send = '      - send: GET /\n        check: [status is OK]\n'
    expect(() => planFor(origin, journeyOf(send))).toThrow(/OK is a status of a grpc step/)
  })
})
