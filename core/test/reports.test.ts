// Reports, comparisons and the formats read from outside, and what they make of hostile input.
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  bytesOfBase64,
  compareRuns,
  comparisonMarkdown,
  comparisonOutcome,
  comparisonWords,
  csvOf,
  decodeBucket,
  decodeHdr,
  familyValue,
  htmlOf,
  parseMetricPage,
  readResult,
  readSentence,
  type RunResult,
} from '../src/index.js'
import { parseCsv, parseJsonLines } from '../src/plan/data.js'
import { planText, read } from './reading.js'
import { resultWith, stored } from './results.js'

describe('a comparison', () => {
  const even = (index: number) => 100 + (index % 50)

  it('finds a shift of all times, says by how much, and does not mind one that is too small to matter', () => {
    const slower = stored(resultWith((index) => even(index) + 20))
    const rowOf = (smallest: number) =>
      compareRuns(stored(resultWith(even)), slower, smallest).steps[0]?.changes.find(
        ({ figure }) => figure === 'median',
      )

    expect(rowOf(0.05)).toMatchObject({ outcome: 'worse', unit: 'ms' })
    expect(rowOf(0.05)?.difference).toBeCloseTo(20, 0)
    expect(rowOf(0.3)).toMatchObject({ outcome: 'no significant change' })
    expect(comparisonWords(compareRuns(slower, stored(resultWith(even))))).toMatch(
      /^Better: mean, median, p95.* of "search"\.$/,
    )
  })

  it('finds nothing between a run and itself, and failures by their share', () => {
    const alike = compareRuns(stored(resultWith(even)), stored(resultWith(even)))
    expect(comparisonWords(alike)).toBe('No significant change beyond 5 %.')

    const worse = compareRuns(stored(resultWith(even)), stored(resultWith(even, 5)))
    expect(worse.steps[0]?.changes.find((change) => change.figure === 'failed')).toMatchObject({
      outcome: 'worse',
      before: 0,
      after: 0.05,
    })
    expect(worse.gates.map(({ before, after }) => [before, after])).toContainEqual([0, 5])
    expect(comparisonMarkdown(worse)).toContain('| failed requests at most 1 % | 0.0 % | 5.00 % |')
  })

  // Of the C(10, 5) = 252 ways to deal out five and five blocks one parts them furthest: two-sided p = 2/252 at the
  // least, and over fifteen figures (Holm) 0.12.
  it('does not say that nothing changed where nothing could be significant', () => {
    const short = (slower: number, steps: number): RunResult => {
      const result = stored(resultWith((index) => even(index) + slower))
      const [step, blocks] = [result.steps[0], result.blocks?.steps[0]]
      if (step === undefined || blocks === undefined) throw new Error('the result has no step')
      const names = Array.from({ length: steps }, (_, index) => `step ${String(index)}`)
      const cut = { requests: blocks.requests.slice(0, 5), failed: blocks.failed.slice(0, 5) }
      const five = names.map((name) => ({ ...blocks, ...cut, name, data: blocks.data.slice(0, 5) }))
      return {
        ...result,
        steps: names.map((name) => ({ ...step, name })),
        ...(result.blocks === undefined ? {} : { blocks: { ...result.blocks, steps: five } }),
      }
    }

    const many = compareRuns(short(0, 3), short(90, 3))
    expect(comparisonOutcome(many)).toBe('not tested')
    expect(comparisonWords(many)).toBe(
      'Nothing could be tested: with 5 blocks of seconds and 15 figures nothing can be significant: run longer.',
    )

    // A result of an older version has no blocks at all.
    const old = { ...stored(resultWith(even)), blocks: undefined }
    expect(comparisonWords(compareRuns(old, stored(resultWith(even))))).toBe(
      'Nothing could be tested: the first result is of an older version, without blocks of seconds.',
    )

    const one = compareRuns(short(0, 1), short(90, 1))
    expect(one.warnings).toEqual([])
    expect(comparisonWords(one)).toMatch(/^Worse: mean, median.* of "step 0"\.$/)
  })

  it('cannot tell where a figure doubles, and its seconds differ as much among themselves', () => {
    const calm = stored(resultWith((index) => (index < 100 ? 400 : 100)))
    const wild = stored(resultWith((index) => (index < 200 ? 900 : 100)))
    const comparison = compareRuns(calm, wild)

    expect(comparison.steps[0]?.changes.find(({ figure }) => figure === 'p95')).toMatchObject({
      outcome: 'cannot tell',
    })
    expect(comparisonOutcome(comparison)).toBe('not worse')
    expect(comparisonWords(comparison)).toMatch(/^Cannot tell: p9[59] of "search" moved by \+120 %, and 2 more, which/)
  })

  it('tests nothing of another plan, of a run that is void, or of no step in common', () => {
    const result = stored(resultWith(even))
    const [step] = result.steps
    if (step === undefined) throw new Error('the result has no step')
    const outcomeOf = (after: Partial<RunResult>) => comparisonOutcome(compareRuns(result, { ...result, ...after }))

    expect(outcomeOf({})).toBe('not worse')
    expect(outcomeOf({ plan: { ...result.plan, file: 'q', name: 'other' } })).toBe('not tested')
    expect(outcomeOf({ plan: { ...result.plan, file: 'q' } })).toBe('not worse')
    expect(outcomeOf({ verdict: 'void' })).toBe('not tested')
    expect(outcomeOf({ verdict: 'stopped' })).toBe('not tested')
    expect(outcomeOf({ steps: [{ ...step, name: 'another' }] })).toBe('not tested')
  })

  it('counts a step that is missing after as worse, and lists what is on one side alone', () => {
    const result = stored(resultWith(even))
    const [step] = result.steps
    if (step === undefined) throw new Error('the result has no step')
    const more = { ...result, steps: [step, { ...step, name: 'more' }] }

    expect(comparisonOutcome(compareRuns(more, result))).toBe('worse')
    expect(comparisonWords(compareRuns(more, result))).toBe('Worse: missing after: "more".')
    expect(comparisonMarkdown(compareRuns(more, result))).toContain('Missing after: "more"')
    expect(comparisonOutcome(compareRuns(result, more))).toBe('not worse')
    expect(comparisonMarkdown(compareRuns(result, more))).toContain('New after: "more"')
  })

  it('warns of another load or target, and reads nothing that is no result', () => {
    const other = stored(resultWith(even))
    const { warnings } = compareRuns(stored(resultWith(even)), { ...other, plan: { ...other.plan, load: 'm' } })

    expect(warnings).toEqual(['the loads differ'])
    expect(readResult('{}')).toMatchObject({ ok: false })
    expect(readResult('nonsense')).toEqual({ ok: false, fault: 'this is not JSON' })
  })
})

describe('reports', () => {
  it('HTML loads nothing from elsewhere, and hostile text is no markup', () => {
    const html = htmlOf(resultWith(() => 100, 3, '<img src=x onerror=alert(1)>'))

    expect(html).not.toMatch(/<img|<b>|https?:\/\/(?!127\.0\.0\.1)|@import|url\((?!data:font\/woff2;base64,[\w+/=]+\))/)
    expect(html.match(/<script/g)).toHaveLength(2)
    expect(html).toContain('Content-Security-Policy')
    expect(html).toMatch(/prefers-color-scheme: dark/)
  })

  it('CSV has a row for each second', () => {
    const lines = csvOf(resultWith(() => 100))
      .trimEnd()
      .split('\r\n')

    expect(lines).toHaveLength(11)
    expect(lines[0]).toMatch(/^second,arrivals due,arrivals,users,requests,failed,p50 ms/)
    expect(lines[1]).toMatch(/^0,5,0,0,100,0,100,100,100,/)
  })
})

describe('OpenMetrics', () => {
  // From the examples of the OpenMetrics 1.0 specification (section "Overall structure" and the types); from memory.
  const page = `# TYPE acme_http_router_request_seconds summary
# UNIT acme_http_router_request_seconds seconds
# HELP acme_http_router_request_seconds Latency though all of ACME's HTTP request router.
acme_http_router_request_seconds_sum{path="/api/v1",method="GET"} 9036.32
acme_http_router_request_seconds_count{path="/api/v1",method="GET"} 807283.0
acme_http_router_request_seconds_created{path="/api/v1",method="GET"} 1605281325.0
# TYPE go_goroutines gauge
go_goroutines 69
# TYPE foo counter
foo_total{a="x \\"quoted\\", and \\\\ \\n"} 17.0 1520879607.789 # {trace_id="KOO5S4vxi0o"} 0.67
foo_total{a="y"} 3
# EOF
after the end nothing is read
`

  it('gives samples with labels, counters among them', () => {
    const reading = parseMetricPage(page)
    if (!reading.ok) throw new Error(reading.message)

    expect(familyValue(reading.page, 'go_goroutines', {})).toEqual({ value: 69, isCounter: false })
    expect(familyValue(reading.page, 'foo', {})).toEqual({ value: 20, isCounter: true })
    expect(familyValue(reading.page, 'foo_total', { a: 'x "quoted", and \\ \n' })).toEqual({
      value: 17,
      isCounter: true,
    })
    expect(familyValue(reading.page, 'acme_http_router_request_seconds_sum', { method: 'GET' })?.value).toBe(9036.32)
    expect(familyValue(reading.page, 'none', {})).toBeUndefined()
  })

  it('that is none is told with its line', () => {
    expect(parseMetricPage('a 1\nb{x="1" 2\n')).toMatchObject({ ok: false, line: 2 })
    expect(parseMetricPage('a one\n')).toMatchObject({ ok: false, line: 1 })
  })
})

describe('any text', () => {
  const anyText = fc.oneof(
    fc.string({ unit: 'binary', maxLength: 200 }),
    fc
      .array(
        fc.constantFrom(
          '"',
          ',',
          '\n',
          '{',
          '}',
          '# ',
          'a',
          ' 1',
          '=',
          'to',
          'p95',
          'under',
          '%',
          'json $.',
          '[',
          ':',
          '- ',
        ),
        { maxLength: 60 },
      )
      .map((parts) => parts.join('')),
  )
  const holdsFor = (parse: (text: string) => unknown) => {
    fc.assert(
      fc.property(anyText, (text) => void parse(text)),
      { numRuns: 400 },
    )
  }

  it('makes no parser crash or hang: sentences, plans, CSV, JSON Lines, OpenMetrics', () => {
    for (const rule of [
      'Gate',
      'Check',
      'Keep',
      'RatesOnly',
      'WaitOnly',
      'StopOnly',
      'ValueCheck',
      'UsersRange',
    ] as const)
      holdsFor((text) => readSentence(rule, text))
    holdsFor(parseCsv)
    holdsFor(parseJsonLines)
    holdsFor(parseMetricPage)
    holdsFor(readResult)
  })

  it('in a plan gives problems with places inside the file', () => {
    fc.assert(
      fc.property(anyText, fc.nat(300), (piece, at) => {
        const whole = planText({ top: 'values: { n: { whole: 1 to 4 } }\n' })
        const text = whole.slice(0, at) + piece + whole.slice(at)
        const lines = text.split('\n').length
        for (const { line, column } of read(text).problems) {
          expect(line).toBeGreaterThan(0)
          expect(line).toBeLessThanOrEqual(lines + 1)
          expect(column).toBeGreaterThan(0)
        }
      }),
      { numRuns: 300 },
    )
  })

  it('as bytes is refused by the readers of histograms and buckets, or read', () => {
    const refusesOrReads = (parse: (bytes: Uint8Array) => unknown) => {
      fc.assert(
        fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
          try {
            parse(bytes)
          } catch (error) {
            expect(error).toBeInstanceOf(Error)
          }
        }),
        { numRuns: 500 },
      )
    }
    refusesOrReads(decodeHdr)
    refusesOrReads(decodeBucket)
    refusesOrReads((bytes) => decodeHdr(bytesOfBase64(btoa(String.fromCharCode(...bytes)))))
  })
})
