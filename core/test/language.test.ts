import { query } from 'json-p3'
import { parseTemplate } from 'url-template'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  compilePath,
  compileUrl,
  isDue,
  namesInUrl,
  readRetention,
  retentionWritten,
  readSentence,
  splitText,
  type Json,
  type KeptRun,
} from '../src/index.js'

describe('quantities', () => {
  it.each([
    ['250ms', 250],
    ['30 s', 30_000],
    ['1h 30m', 5_400_000],
    ['PT30S', 30_000],
    ['P1DT2H', 93_600_000],
  ])('%s is %d ms', (text, ms) => {
    expect(readSentence('DurationOnly', text)).toEqual({ ok: true, value: ms })
  })

  it.each([
    ['5/s', 5],
    ['300/min', 5],
    ['7200 / h', 2],
  ])('%s is %d per second', (text, rate) => {
    expect(readSentence('RateOnly', text)).toEqual({ ok: true, value: rate })
  })

  it('a bare number where a unit is needed is an error that says so', () => {
    expect(readSentence('DurationOnly', '30')).toMatchObject({
      ok: false,
      fault: { offset: 0, message: expect.stringContaining('no unit') as string },
    })
  })
})

// Source: RFC 6570, URI Template, sections 1.2 and 3.2, with the variables of section 3.2. From memory.
describe('URL templates', () => {
  const variables = {
    count: ['one', 'two', 'three'],
    dom: ['example', 'com'],
    dub: 'me/too',
    hello: 'Hello World!',
    half: '50%',
    var: 'value',
    who: 'fred',
    base: 'http://example.com/home/',
    path: '/foo/bar',
    list: ['red', 'green', 'blue'],
    keys: { semi: ';', dot: '.', comma: ',' },
    v: '6',
    x: '1024',
    y: '768',
    empty: '',
  }

  it.each([
    ['{var}', 'value'],
    ['{hello}', 'Hello%20World%21'],
    ['{half}', '50%25'],
    ['O{empty}X', 'OX'],
    ['{x,hello,y}', '1024,Hello%20World%21,768'],
    ['{var:3}', 'val'],
    ['{list}', 'red,green,blue'],
    ['{list*}', 'red,green,blue'],
    ['{keys}', 'semi,%3B,dot,.,comma,%2C'],
    ['{keys*}', 'semi=%3B,dot=.,comma=%2C'],
    ['{+base}index', 'http://example.com/home/index'],
    ['{+path:6}/here', '/foo/b/here'],
    ['{#path:6}here', '#/foo/bhere'],
    ['X{.var}', 'X.value'],
    ['{/var,x}/here', '/value/1024/here'],
    ['{/list*,path:4}', '/red/green/blue/%2Ffoo'],
    ['{;x,y,empty}', ';x=1024;y=768;empty'],
    ['{?x,y}', '?x=1024&y=768'],
    ['{?x,y,empty}', '?x=1024&y=768&empty='],
    ['{?list*}', '?list=red&list=green&list=blue'],
    ['?fixed=yes{&x}', '?fixed=yes&x=1024'],
    ['{&keys*}', '&semi=%3B&dot=.&comma=%2C'],
  ])('%s becomes %s', (template, expanded) => {
    expect(compileUrl(template)(variables)).toBe(expanded)
  })

  it('their names are found with their modifiers taken off', () => {
    expect(namesInUrl('/a{/list*,path:4}{?x,y}')).toEqual(['list', 'path', 'x', 'y'])
  })
})

// Source: RFC 9535, JSONPath, section 1.5, figures 1 and 2 with the table of examples. From memory.
describe('JSONPath', () => {
  const store: Json = {
    store: {
      book: [
        { category: 'reference', author: 'Nigel Rees', title: 'Sayings of the Century', price: 8.95 },
        { category: 'fiction', author: 'Evelyn Waugh', title: 'Sword of Honour', price: 12.99 },
        { category: 'fiction', author: 'Herman Melville', title: 'Moby Dick', isbn: '0-553-21311-3', price: 8.99 },
        {
          category: 'fiction',
          author: 'J. R. R. Tolkien',
          title: 'The Lord of the Rings',
          isbn: '0-395-19395-8',
          price: 22.99,
        },
      ],
      bicycle: { color: 'red', price: 399 },
    },
  }
  const authors = ['Nigel Rees', 'Evelyn Waugh', 'Herman Melville', 'J. R. R. Tolkien']
  const find = (path: string): Json[] => {
    const finder = compilePath(path)
    if (typeof finder === 'string') throw new Error(finder)
    return finder(store)
  }
  const titles = (path: string) => find(`${path}.title`)

  it('finds the authors of all books in the store', () => {
    expect(find('$.store.book[*].author')).toEqual(authors)
    expect(find('$..author')).toEqual(authors)
  })
  it('finds all things in the store, and the prices of everything', () => {
    expect(find('$.store.*')).toHaveLength(2)
    expect(find('$.store..price')).toHaveLength(5)
  })
  it('finds the third book, its author, and no publisher', () => {
    expect(titles('$..book[2]')).toEqual(['Moby Dick'])
    expect(find('$..book[2].author')).toEqual(['Herman Melville'])
    expect(find('$..book[2].publisher')).toEqual([])
  })
  it('finds the last book and the first two', () => {
    expect(titles('$..book[-1]')).toEqual(['The Lord of the Rings'])
    expect(titles('$..book[0,1]')).toEqual(titles('$..book[:2]'))
  })
  it('finds books with an ISBN, and those under 10', () => {
    expect(titles('$..book[?@.isbn]')).toEqual(['Moby Dick', 'The Lord of the Rings'])
    expect(titles('$..book[?@.price<10]')).toEqual(['Sayings of the Century', 'Moby Dick'])
  })
  it('follows a path to one place as the library does', () => {
    const names = fc.constantFrom('a', 'b', '', '__proto__', 'length', "it's")
    const steps = fc.array(fc.oneof(names, fc.integer({ min: -3, max: 3 })), { maxLength: 4 })
    const documents = fc.letrec<{ json: Json }>((tie) => ({
      json: fc.oneof(
        { depthSize: 'small' },
        fc.constantFrom<Json>(null, 1, 'text', true),
        fc.array(tie('json'), { maxLength: 4 }),
        fc.dictionary(names, tie('json'), { maxKeys: 4 }),
      ),
    })).json
    fc.assert(
      fc.property(documents, steps, (made, place) => {
        const document = JSON.parse(JSON.stringify(made)) as Json
        const path = `$${place.map((step) => (typeof step === 'number' ? `[${String(step)}]` : `[${JSON.stringify(step)}]`)).join('')}`
        const finder = compilePath(path)

        expect(typeof finder === 'string' ? finder : finder(document)).toEqual(query(path, document).values())
      }),
      { numRuns: 1000 },
    )
  })
  it('says what is wrong with a path', () => {
    expect(compilePath('$.store[')).toEqual(expect.any(String))
  })
})

describe('texts', () => {
  it('{{ is a plain brace, and every brace that holds no name is itself', () => {
    expect(splitText('a{{b} {x y} {c.d}')).toEqual([
      { kind: 'literal', text: 'a{b} {x y} ' },
      { kind: 'name', name: 'c.d' },
    ])
  })
})

describe('the short way through a URL template', () => {
  it('is the library’s own for any values', () => {
    const template = fc
      .array(
        fc.oneof(
          fc.constantFrom('/a', '/b-c', '?x=1', '.json'),
          fc
            .tuple(
              fc.constantFrom('', '+', '#', '.', '/', ';', '?', '&'),
              fc.uniqueArray(fc.constantFrom('a', 'b', 'c', 'd*', 'a*', 'b:2'), { minLength: 1, maxLength: 3 }),
            )
            .map(([operator, names]) => `{${operator}${names.join(',')}}`),
        ),
        { minLength: 1, maxLength: 4 },
      )
      .map((parts) => parts.join(''))
    const value = fc.oneof(
      fc.string({ unit: 'grapheme' }),
      fc.webUrl(),
      fc.integer(),
      fc.boolean(),
      fc.constant(''),
      fc.constant(null),
      fc.array(fc.string(), { maxLength: 3 }),
    )
    fc.assert(
      fc.property(
        template,
        fc.record({ a: value, b: value, c: value, d: value }, { requiredKeys: [] }),
        (text, values) => {
          // The library's prefixes count halves of characters: what they say of those is another test.
          fc.pre(!text.includes(':') || !/[^\0-\x7f]/.test(String(values.b)))
          // It also takes half of a triplet for a whole one, see below.
          fc.pre(!/%[0-9A-Fa-f](?![0-9A-Fa-f])/.test(JSON.stringify(values)))
          expect(compileUrl(text)(values)).toBe(parseTemplate(text).expand(values))
        },
      ),
      { numRuns: 2000 },
    )
  })

  // RFC 6570, section 3.2.1: where reserved characters stay, so do triplets, and any other % is encoded.
  it('keeps triplets that are whole, and encodes the sign of any other', () => {
    expect(compileUrl('{+a}{#a}')({ a: '50%25 %0 %zz' })).toBe('50%25%20%250%20%25zz#50%25%20%250%20%25zz')
  })

  // RFC 6570, section 2.4.1: a prefix counts characters of Unicode.
  it('cuts no character in two, and makes a URL of any text', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.integer({ min: 1, max: 40 }), (text, most) => {
        const kept = Array.from(text).slice(0, most).join('')

        expect(decodeURIComponent(compileUrl(`{a:${String(most)}}`)({ a: text }))).toBe(kept)

        const half = `${text}\ud800`
        expect(() => compileUrl('{a}{+a}{#b}{?c*}')({ a: half, b: [half], c: { [half]: half } })).not.toThrow()
      }),
    )
  })
})

describe('how long runs are kept', () => {
  const now = Date.UTC(2026, 5, 1)
  const run = (days: number, over: Partial<KeptRun> = {}): KeptRun => ({
    ...{ askedAt: new Date(now - days * 86_400_000), verdict: 'open', branch: 'main', labels: {} },
    ...over,
  })
  const due = (rule: string, one: KeptRun) => {
    const read = readRetention(rule)
    if (!read.ok) throw new Error(read.fault)
    return isDue(read.rules, one, now)
  }

  it('is the longest of all the rules that a run matches', () => {
    const rule =
      'keep 30 days, open runs of main for ever, runs of release/1 for 90 days, runs with label kept for ever'

    expect(due(rule, run(29, { verdict: 'shut' }))).toBe(false)
    expect(due(rule, run(31, { verdict: 'shut' }))).toBe(true)
    expect(due(rule, run(4000))).toBe(false)
    expect(due(rule, run(31, { branch: 'other' }))).toBe(true)
    expect(due(rule, run(89, { branch: 'release/1' }))).toBe(false)
    expect(due(rule, run(91, { branch: 'release/1' }))).toBe(true)
    expect(due(rule, run(91, { branch: null, labels: { kept: 'yes' } }))).toBe(false)
    expect(due('', run(4000))).toBe(false)
  })

  it('is written as it is read', () => {
    const rule =
      'keep 30 days, open runs of main for ever, runs with label build=209 for 1 day, runs with label kept for ever'
    const read = readRetention(rule)

    expect(read.ok && retentionWritten(read.rules)).toBe(rule)
    expect(retentionWritten([])).toBe('')
  })

  it.each([
    'open runs of main for ever',
    'keep 0 days',
    'keep 30',
    'keep 30 days, runs for ever',
    'keep 30 days, keep 40 days',
  ])('is not told by "%s"', (rule) => {
    expect(readRetention(rule)).toMatchObject({ ok: false })
  })
})
