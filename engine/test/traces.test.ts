// What is kept of single requests: their traces, those that failed in full, the slowest, and all of them as rows.
import type { DrawnCell } from '@jolt-gate/core'
import { describe, expect, it, beforeAll, afterAll, beforeEach } from 'vitest'
import { runPlan } from './run-plan.js'
import { startTrueServer, type TrueServer } from './true-server.js'

let server: TrueServer
const seen: string[] = []
beforeAll(async () => {
  server = await startTrueServer((request, response) => {
    const { traceparent } = request.headers
    seen.push(typeof traceparent === 'string' ? traceparent : '')
    if (request.url === '/slow') setTimeout(() => response.end('late'), 120)
    else if (request.url === '/long') response.writeHead(500).end('x'.repeat(300_000))
    else if (request.url === '/fail')
      response.writeHead(503, { 'set-cookie': 'a=b', 'retry-after': '7' }).end('full: open sesame')
    else response.end('{}')
  })
})
beforeEach(() => (seen.length = 0))
afterAll(() => server.stop())

const plan = (steps: string, top = '', starts = 4) =>
  `${top}journeys:\n  a:\n    steps:\n${steps}load:\n  - { phase: p, starts: ${String(starts)}, for: 400ms }\n`

describe('requests of a load', () => {
  it('carry a trace each, of their own; what failed is kept in full with its trace, secrets masked', async () => {
    const steps =
      '      - send: POST /fail\n        name: fail\n        auth: { bearer: "{secret.word}" }\n        json: { hello: "{secret.word}" }\n      - send: GET /slow\n        name: slow\n'
    const { result } = await runPlan(server.origin, plan(steps), {
      secrets: { word: 'open sesame' },
      target: 'traces: https://traces.example/{trace}\n',
    })

    expect(new Set(seen).size).toBe(8)
    const [failing, slow] = result.steps
    const kept = failing?.failures[0]?.kept
    expect(kept).toMatchObject({
      stage: 'a',
      step: 'fail',
      request: { method: 'POST', url: `${server.origin}/fail`, body: '{"hello":"•••"}' },
      response: { status: 503, body: 'full: •••' },
    })
    expect(kept?.response?.headers).toContainEqual(['retry-after', '7'])
    expect(kept?.response?.headers).toContainEqual(['set-cookie', '•••'])
    expect(seen.some((header) => header.includes(`-${kept?.trace ?? 'none'}-`))).toBe(true)
    expect(JSON.stringify(result)).not.toContain('open sesame')
    expect(slow?.slowest?.length).toBeGreaterThan(0)
    for (const { total, firstByte, trace, failed } of slow?.slowest ?? []) {
      expect(total).toBeGreaterThanOrEqual(119)
      expect(firstByte).toBeGreaterThanOrEqual(119)
      expect(failed).toBe(false)
      expect(seen.some((header) => header.includes(`-${trace ?? 'none'}-`))).toBe(true)
    }
    expect(result.target.traces).toBe('https://traces.example/{trace}')
  })

  it('carry none where the plan says no, and the one that the plan gives where it gives one', async () => {
    await runPlan(server.origin, plan('      - send: GET /one\n', 'trace: no\n'))
    expect(new Set(seen)).toEqual(new Set(['']))
    seen.length = 0
    const own = '00-4bf92f3577b34da6a3ce929d0e0e4736-00f067aa0ba902b7-01'
    await runPlan(
      server.origin,
      plan(`      - send: GET /one\n        headers: { Traceparent: ${own} }\n`, 'trace: 100 %\n'),
    )
    expect(new Set(seen)).toEqual(new Set([own]))
    seen.length = 0
    await runPlan(server.origin, plan('      - send: GET /one\n', 'trace: 100 %\n'))
    expect(seen.filter((header) => header.endsWith('-01'))).toHaveLength(4)
  })

  it('are kept within bounds, however long the answer', async () => {
    const { result } = await runPlan(server.origin, plan('      - send: GET /long\n', '', 30))

    const [failure] = result.steps[0]?.failures ?? []
    expect(failure).toMatchObject({ count: 30 })
    expect(JSON.stringify(failure?.kept).length).toBeLessThanOrEqual(64 * 1024)
    expect(failure?.kept?.response?.body).toMatch(/^x{20000}/)
  })

  it('tell the row of a data file that they fail with, and a few of each second what they were', async () => {
    const drawn: DrawnCell[] = []
    const rows = Array.from({ length: 12 }, (_, row) => (row === 3 ? 'fail' : 'fine')).join('\n')
    const parts = `data: { paths: { file: paths.csv, take: in turn } }\njourneys:\n  a:\n    steps:\n      - { send: 'GET /{paths.path}', name: one }\nload:\n  - { phase: p, rate: 20/s, for: 8s }\n`
    const { result } = await runPlan(server.origin, parts, {
      files: { 'paths.csv': `path\n${rows}\n` },
      senders: 1,
      onEvent: (event) => {
        if (event.kind === 'bucket') drawn.push(...event.bucket.drawn)
      },
    })

    const found = result.findings?.find(({ kind }) => kind === 'failures')
    expect(found?.evidence).toMatchObject({ data: 'paths', rows: '4' })
    // Which of a second are drawn is chance, and one in twelve fails.
    expect(drawn.filter(({ status }) => status !== 200 && status !== 503)).toEqual([])
    expect(drawn.filter(({ status }) => status === 200).length).toBeGreaterThan(drawn.length / 2)
    expect(drawn.length).toBeGreaterThanOrEqual(2 * 8 - 2)
    expect(drawn.length).toBeLessThanOrEqual(2 * 10)
    expect(drawn.every(({ bytesReceived, totalMs }) => bytesReceived > 0 && totalMs > 0)).toBe(true)
  })

  it('are told as rows where that is asked for', async () => {
    const rows: string[] = []
    let counted = 0
    const { result } = await runPlan(server.origin, plan('      - send: GET /fail\n        name: "=SUM(1)"\n'), {
      onSamples: (text, count) => {
        rows.push(text)
        counted += count
      },
    })

    const lines = rows.join('').trimEnd().split('\r\n')
    expect(counted).toBe(result.totals.requests)
    expect(lines).toHaveLength(4)
    expect(lines[0]).toMatch(/^test,\d+\.\d{3},p,a,"'=SUM\(1\)",\d+\.\d{3},status,\d+,\d+,[0-9a-f]{32}$/)
  })
})
