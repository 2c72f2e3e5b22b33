// What strangers may hand us is bounded: each of these is refused or read at once, and none takes the reader down. That
// it is at once is judged by the test's own limit alone.
import { describe, expect, it } from 'vitest'
import { importOpenApi, readOpenApi, readPlan } from '../src/index.js'
import { read } from './reading.js'

const planWith = (steps: string, more = '') =>
  `jolt: 1\nname: T\ntarget: http://127.0.0.1:1\njourneys:\n  a:\n    steps:\n${steps}\nload:\n  - { phase: p, rate: 5/s, for: 10s }\n${more}`
const many = (count: number, line: (number: number) => string) =>
  Array.from({ length: count }, (_, number) => line(number)).join('\n')

describe('a hostile plan', () => {
  it.each([
    ['a line of brackets', '['.repeat(40_000), /nests deeper than 20/],
    [
      'a sentence of brackets',
      planWith(`      - send: GET /x\n        check: ['json $${'['.repeat(20_000)} exists']`),
      /at most 2000 letters/,
    ],
    [
      'names that nobody knows',
      planWith(`      - send: GET /x${many(20_000, (number) => `{n${String(number)}}`).replaceAll('\n', '')}`),
      /no value "n0"/,
    ],
    ['keys that nobody knows', `jolt: 1\n${many(20_000, (number) => `key${String(number)}: x`)}`, /has no "key0"/],
    [
      'more than a megabyte',
      `jolt: 1\nvalues:\n${many(60_000, (number) => `  k${String(number)}: { whole: 1 to 9 }`)}`,
      /larger than 1 MB/,
    ],
    [
      'sixty thousand headers',
      planWith(
        `      - send: GET /x\n        headers: { ${many(60_000, (number) => `h${String(number)}: x`).replaceAll('\n', ', ')} }`,
      ),
      /more than 20000 entries/,
    ],
    [
      'a gate of each step for thousands of steps',
      planWith(
        many(3000, (number) => `      - send: GET /${String(number)}`),
        `gates:\n${many(200, (number) => `  - p95 response time of each step under ${String(100 + number)} ms`)}`,
      ),
      /at most 2000 gates/,
    ],
    [
      'a key that stands twice',
      planWith('      - send: GET /x\n        timeout: 5s\n        timeout: 6s'),
      /"timeout" stands here twice/,
    ],
  ])('with %s is told what is wrong', (_, text, words) => {
    const { problems } = read(text)

    expect(problems.length).toBeLessThanOrEqual(201)
    expect(problems.some(({ message }) => words.test(message))).toBe(true)
  })

  it('whose shared steps branch for ever is refused', () => {
    const files = (path: string) => {
      const level = Number(/f(\d+)/.exec(path)?.[1])
      const use = `- use: steps/f${String(level + 1)}.steps.yaml\n`
      return level < 30 ? use + use : '- send: GET /leaf\n'
    }
    const { problems } = readPlan('p.gate.yaml', planWith('      - use: steps/f0.steps.yaml'), { files })

    expect(problems.map(({ message }) => message).join()).toMatch(/at most 10000 steps/)
  })
})

describe('a hostile description', () => {
  const sizeOf = (schemas: object, schema: object) => {
    const content = { 'application/json': { schema } }
    const post = { requestBody: { content }, responses: { 200: { description: 'ok', content } } }
    const text = JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'x', version: '1' },
      paths: { '/x': { post } },
      components: { schemas },
    })
    const reading = readOpenApi(text)
    const choice = { name: 'N', origin: 'http://127.0.0.1:1', operations: reading.operations.map(({ id }) => id) }
    return JSON.stringify(importOpenApi(reading, choice)).length
  }

  it('makes no huge example', () => {
    const branch = (number: number) => ({ $ref: `#/components/schemas/S${String(number)}` })
    const branching = Object.fromEntries(
      Array.from({ length: 25 }, (_, number) => [
        `S${String(number)}`,
        { type: 'object', required: ['a', 'b'], properties: { a: branch(number + 1), b: branch(number + 1) } },
      ]),
    )

    expect(sizeOf({}, { type: 'string', minLength: 1e8 })).toBeLessThan(1e5)
    expect(sizeOf({}, { type: 'array', minItems: 1e8, items: { type: 'integer' } })).toBeLessThan(1e5)
    expect(sizeOf({ ...branching, S25: { type: 'string' } }, branch(0))).toBeLessThan(1e6)
    expect(sizeOf({ A: { $ref: '#/components/schemas/A' } }, { $ref: '#/components/schemas/A' })).toBeLessThan(1e5)
  })
})
