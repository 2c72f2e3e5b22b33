// Results and series at a collector: what it takes is held against the protocol's own definition.
import { execFile } from 'node:child_process'
import { createRequire } from 'node:module'
import { createServer, type IncomingHttpHeaders } from 'node:http'
import type { RunResult } from '@jolt-gate/core'
import { collectorAt } from '@jolt-gate/engine'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { callerOf, PLAN, signedIn, startPlace, type Place } from '../../server/test/place.js'
import { command } from './command.js'

interface Export {
  resourceMetrics: {
    resource: { attributes: { key: string; value: { stringValue: string } }[] }
    scopeMetrics: { metrics: { name: string; gauge?: { dataPoints: { asDouble: number }[] }; summary?: unknown }[] }[]
  }[]
}
interface Message {
  fromObject(json: unknown): unknown
  toObject(message: unknown, how: { longs: typeof String }): unknown
}
// OpenTelemetry's own protobuf definitions (opentelemetry-proto 1.x), as its packages for JavaScript carry them.
const { opentelemetry } = createRequire(import.meta.url)(
  '@opentelemetry/otlp-transformer/build/src/generated/root.js',
) as { opentelemetry: { proto: { collector: { metrics: { v1: { ExportMetricsServiceRequest: Message } } } } } }
const { ExportMetricsServiceRequest } = opentelemetry.proto.collector.metrics.v1

const taken: { path: string; headers: IncomingHttpHeaders; body: unknown }[] = []
const answers: { status: number; body: string }[] = []
const server = createServer((request, response) => {
  const chunks: Buffer[] = []
  request.on('data', (chunk: Buffer) => chunks.push(chunk))
  request.on('end', () => {
    const body: unknown = JSON.parse(Buffer.concat(chunks).toString('utf8'))
    taken.push({ path: request.url ?? '', headers: request.headers, body })
    const { status, body: said } = answers.shift() ?? { status: 200, body: '{}' }
    response.writeHead(status, { 'content-type': 'application/json' }).end(said)
  })
})
let endpoint: string
let place: Place

beforeAll(async () => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = server.address()
  endpoint = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`
  const collector = collectorAt(endpoint)
  if (typeof collector === 'string') throw new Error(collector)
  place = await startPlace(true, { collector })
})
afterAll(async () => {
  await place.stop()
  server.close()
})
beforeEach(() => {
  taken.splice(0)
  answers.splice(0)
})

const run = (...args: string[]) =>
  new Promise<{ code: number | null; stdout: string; stderr: string }>((resolve) => {
    const env = { ...process.env, OTEL_EXPORTER_OTLP_HEADERS: 'Authorization=Basic%20eDp5,x-team=harbour' }
    const child = execFile(
      process.execPath,
      [command, 'run', PLAN, '--json', '-', '--otlp', endpoint, ...args],
      { cwd: place.repository, env },
      (_, stdout, stderr) => {
        resolve({ code: child.exitCode, stdout, stderr })
      },
    )
  })
const metricsOf = (body: unknown) => (body as Export).resourceMetrics[0]?.scopeMetrics[0]?.metrics ?? []
const pointsOf = (body: unknown, name: string) =>
  metricsOf(body).find((metric) => metric.name === name)?.gauge?.dataPoints ?? []

describe('a collector', () => {
  it('is sent series, steps, gates and the verdict by the command, nothing that the protocol does not know', async () => {
    const { code, stdout, stderr } = await run('--label', 'reason=a test')
    const result = JSON.parse(stdout) as RunResult
    const [{ path, headers, body } = { path: '', headers: {}, body: {} }] = taken

    expect([code, stderr.includes('not sent')]).toEqual([0, false])
    expect([path, headers.authorization, headers['x-team']]).toEqual(['/v1/metrics', 'Basic eDp5', 'harbour'])
    // What a definition does not know is dropped as it is read.
    const read = ExportMetricsServiceRequest.fromObject(body)
    expect(JSON.parse(JSON.stringify(ExportMetricsServiceRequest.toObject(read, { longs: String })))).toEqual(body)
    expect(pointsOf(body, 'jolt_gate.requests').map(({ asDouble }) => asDouble)).toEqual(result.series.requests)
    expect(pointsOf(body, 'jolt_gate.run.open')).toMatchObject([{ asDouble: 1 }])
    expect(pointsOf(body, 'jolt_gate.gate.observed').map(({ asDouble }) => asDouble)).toEqual(
      result.gates.map(({ observed }) => observed),
    )
    expect((body as Export).resourceMetrics[0]?.resource.attributes).toEqual(
      expect.arrayContaining([
        { key: 'jolt_gate.run.id', value: { stringValue: result.id } },
        { key: 'jolt_gate.label.reason', value: { stringValue: 'a test' } },
      ]),
    )
  })

  it.each([
    ['is asked again where it is busy', { status: 503, body: '' }, 2, undefined],
    ['is not asked again where it refuses', { status: 400, body: 'no' }, 1, 'answered 400 no'],
    [
      'says what it rejected',
      { status: 200, body: '{"partialSuccess":{"rejectedDataPoints":"3","errorMessage":"too old"}}' },
      1,
      'rejected 3 data points: too old',
    ],
  ])('%s, and the verdict stands', async (_, answer, times, fault) => {
    answers.push(answer)

    const { code, stderr } = await run()

    expect([code, taken.length]).toEqual([0, times])
    expect(/not sent to the collector: .*/.exec(stderr)?.[0] ?? '').toContain(fault ?? '')
  })

  it('is sent the result of a run that the server makes, once', async () => {
    const call = callerOf(place.server.origin, await signedIn(place.server.origin))

    const { body: made } = await call('POST', `${place.project}/runs?wait=verdict`, { plan: PLAN })
    await expect.poll(() => taken.length).toBe(1)

    expect(JSON.stringify(taken[0]?.body)).toContain((made as { id: string }).id)
  })

  it('of which the address is none is refused before anything is sent', async () => {
    const { code, stderr } = await run('--otlp', 'collector:4318')

    expect([code, taken.length]).toEqual([2, 0])
    expect(stderr).toMatch(/--otlp: "collector:4318" is not the endpoint of a collector/)
  })
})
