import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  compileCheck,
  compileReason,
  compileKeep,
  compileRequest,
  readSentence,
  Received,
  type Check,
  type Frame,
  type Keep,
  type Lookup,
  type SendStep,
} from '../src/index.js'
import { planText, read } from './reading.js'

const at = { file: 'x', line: 1, column: 1 }
const lookup: Lookup = (name) => (frame) => (name === 'x' ? frame[0] : undefined)
const answer = (body: string, status = 200, more: Record<string, string> = {}) =>
  new Received(status, body, {
    header: (name) => (name === 'content-type' ? 'application/json' : more[name]),
    setCookies: () => ['seen=1; Path=/', 'session="ab=c"; HttpOnly'],
    size: new TextEncoder().encode(body).length,
    timeMs: 120,
  })
const context = { lookup, namespaces: { s: 'http://larkholm.example/sailings' } }

function check(sentence: string): Check {
  const parsed = readSentence('Check', sentence)
  if (!parsed.ok) throw new Error(parsed.fault.message)
  return { ...parsed.value, name: sentence, schema: undefined, at }
}
function keep(sentence: string): Keep {
  const parsed = readSentence('Keep', sentence)
  if (!parsed.ok) throw new Error(parsed.fault.message)
  return { ...parsed.value, name: 'kept', at }
}
const holds = (sentence: string, received: Received, frame: Frame = []) =>
  compileCheck(check(sentence), context)(received, frame)
const kept = (sentence: string, received: Received, draw = 0) =>
  compileKeep(keep(sentence), context)(received, ['fallback'], () => draw)

describe('a check', () => {
  const sailings = answer('{"sailings":[{"id":"a","places":180,"name":"x"},{"id":"b","places":90}],"none":[],"one":1}')

  it.each([
    ['status is 200', true],
    ['status is 2xx', true],
    ['status is one of 201, 202', false],
    ['status is not 404', true],
    ['json $.sailings has at least 1 item', true],
    ['json $.sailings has 2 items', true],
    ['json $.none has at most 0 items', true],
    ['json $.sailings[*].id is one of "a", "b"', true],
    ['json $.sailings[*].places at least 100', false],
    ['json $.missing exists', false],
    ['json $.missing is missing', true],
    ['json $.missing is 1', false],
    ['json $.one is 1', true],
    ['json $.one is "1"', false],
    ['json $.sailings[?(@.places == 90)].id is "b"', true],
    ['header content-type contains "json"', true],
    ['header x-none is missing', true],
    ['body matches /"id":"[ab]"/', true],
    ['body contains "sold out"', false],
  ])('%s: %s', (sentence, expected) => {
    expect(holds(sentence, sailings)).toBe(expected)
  })

  it('compares with a value of the iteration', () => {
    expect(holds('json $.one is {x}', sailings, [1])).toBe(true)
    expect(holds('json $.one is {x}', sailings, ['1'])).toBe(false)
  })

  it.each([
    ['an HTML page', '<!doctype html><p>No</p>', 'starts with <!doctype'],
    ['a text', 'Bad Gateway', 'starts with Bad'],
    ['an empty body', '', 'the body is empty'],
    ['half of a body', '{"sailings":[{"id"', 'begins with {, and cannot be parsed'],
  ])('on JSON cannot be read in %s: not even that something is missing', (_, body, words) => {
    for (const sentence of [
      'json $.error is missing',
      'json $.sailings has at most 3 items',
      'json $.a exists',
      'json $.a is not 1',
      'json $.a matches /x/',
    ])
      expect(() => holds(sentence, answer(body)), sentence).toThrow(`not JSON: ${words}`)
    expect(() => holds('xml //Fault is missing', answer(body.replace('<', '')))).toThrow(/^not XML: /)
  })

  // RFC 9110, sections 15.3.5, 15.3.6, 15.4.5 and 9.3.2: no content, reset content, not modified, and HEAD.
  it.each([
    [204, false],
    [205, false],
    [304, false],
    [200, true],
  ])(
    'on an answer that has no body (%i, HEAD: %s) holds where something is missing, and nowhere else',
    (status, isHead) => {
      const bodiless = new Received(status, '', {
        header: () => undefined,
        setCookies: () => [],
        size: 0,
        timeMs: 1,
        isHead,
      })

      expect(holds('json $.error is missing', bodiless)).toBe(true)
      expect(holds('xml //Fault is missing', bodiless)).toBe(true)
      expect(holds('json $.a exists', bodiless)).toBe(false)
      expect(holds('json $.a has at most 3 items', bodiless)).toBe(false)
      expect(holds('json $.a is not 1', bodiless)).toBe(false)
    },
  )

  it('compares numbers that a double cannot hold by their text, and others by their value', () => {
    const big = answer('{"id":9007199254740993,"ids":[12345678901234567890],"small":9007199254740991,"price":1.50}')

    expect(holds('json $.id is 9007199254740993', big)).toBe(true)
    // The same double.
    expect(holds('json $.id is 9007199254740992', big)).toBe(false)
    expect(holds('json $.id is not 9007199254740992', big)).toBe(true)
    expect(holds('json $.ids[0] is one of 1, 12345678901234567890', big)).toBe(true)
    expect(holds('json $.small is 9007199254740991', big)).toBe(true)
    expect(holds('json $.price is 1.5', big)).toBe(true)
    expect(holds('header x-id is 9007199254740992', answer('', 200, { 'x-id': '9007199254740993' }))).toBe(false)
  })

  it('reads JSON after a byte order mark', () => {
    // RFC 8259, section 8.1.
    expect(holds('json $.a is 1', answer('\ufeff{"a":1}'))).toBe(true)
  })
})

describe('a keep', () => {
  const found = answer('{"ids":["a","b","c"],"id":7}')

  it.each([
    ['json $.id', 7],
    ['json $.ids', 'a'],
    ['json $.ids last', 'c'],
    ['json $.ids number 2', 'b'],
    ['json $.ids[*] all', ['a', 'b', 'c']],
    ['json $.ids at random', 'b'],
    ['json $.none or "nothing"', 'nothing'],
    ['json $.none or {x}', 'fallback'],
    ['status', 200],
    ['header content-type', 'application/json'],
  ])('%s takes %j', (sentence, value) => {
    expect(kept(sentence, found, 0.5)).toEqual(value)
  })

  it('that finds nothing, null or an empty text is undefined', () => {
    const empty = answer('{"token":"","id":null,"ids":[],"zero":0,"no":false}')

    expect(kept('json $.none', found)).toBeUndefined()
    for (const source of ['json $.token', 'json $.id', 'json $.ids', 'match /"token":"(.*?)"/'])
      expect(kept(source, empty), source).toBeUndefined()
    expect(kept('body', answer(''))).toBeUndefined()
    expect(kept('json $.token or ""', empty)).toBe('')
    expect(kept('json $.zero', empty)).toBe(0)
    expect(kept('json $.no', empty)).toBe(false)
  })

  it('finds nothing in a body that is not what it reads, and says why', () => {
    expect(() => kept('json $.id', answer('<html>'))).toThrow('not JSON: starts with <html')
    expect(kept('json $.id or "none"', answer('<html>'))).toBe('none')
  })
})

describe('a request', () => {
  const made = (send: string, frame: Frame) => {
    const { plan } = read(
      planText({
        journeys: `  a:\n    steps:\n      - send: GET /first\n        keep:\n          x: json $.x\n${send}`,
      }),
    )
    const step = plan.journeys[0]?.steps[1]
    const request = compileRequest(step as SendStep, [], lookup, () => new Uint8Array([0, 255]))
    return { url: request.url(frame), headers: request.headers(frame), body: request.body?.(frame) }
  }

  it('escapes values in its URL and keeps the type of a json value', () => {
    const send =
      '      - send: POST /a/{x}{?q}\n        with: { q: "1 {x}" }\n        json: { n: "{x}", t: "is {x}", l: [1.10, true, null] }'

    expect(made(send, [5])).toMatchObject({ url: '/a/5?q=1%205', body: '{"n":5,"t":"is 5","l":[1.10,true,null]}' })
    expect(made(send, ['a/b'])).toMatchObject({
      url: '/a/a%2Fb?q=1%20a%2Fb',
      body: '{"n":"a/b","t":"is a/b","l":[1.10,true,null]}',
    })
  })

  it('is not made when a value of its URL is missing', () => {
    expect(made('      - send: GET /a/{x}', []).url).toBeUndefined()
  })

  // Source: RFC 7617, section 2, the example of Aladdin; RFC 6750, section 2.1. From memory.
  it('signs with basic and bearer as the standards show', () => {
    expect(made('      - send: GET /a\n        auth: { basic: [Aladdin, open sesame] }', []).headers).toEqual([
      'authorization',
      'Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ==',
    ])
    expect(made('      - send: GET /a\n        auth: { bearer: mF_9.B5f-4.1JqM }', []).headers).toEqual([
      'authorization',
      'Bearer mF_9.B5f-4.1JqM',
    ])
  })

  it('cannot have a header forged by a value', () => {
    expect(made('      - send: GET /a\n        headers: { x-a: "{x}" }', ['1\r\nx-b: 2']).headers).toEqual([
      'x-a',
      '1  x-b: 2',
    ])
  })
})

describe('XML', () => {
  // The weather-report envelope of the SOAP 1.1 note's own example 1 and 2, shortened; from memory.
  const envelope = `<SOAP-ENV:Envelope xmlns:SOAP-ENV="http://schemas.xmlsoap.org/soap/envelope/">
  <SOAP-ENV:Body><m:GetLastTradePriceResponse xmlns:m="Some-URI"><Price>34.5</Price></m:GetLastTradePriceResponse></SOAP-ENV:Body>
</SOAP-ENV:Envelope>`
  const named = { lookup, namespaces: { soap: 'http://schemas.xmlsoap.org/soap/envelope/', m: 'Some-URI' } }
  const verify = (sentence: string, body = envelope) => compileCheck(check(sentence), named)(answer(body), [])

  it.each([
    ['xml //Price is 34.5', true],
    ['xml /soap:Envelope/soap:Body/m:GetLastTradePriceResponse/Price is "34.5"', true],
    ['xml count(//Price) is 1', true],
    ['xml //m:None is missing', true],
    ['xml //Price[. > 30] exists', true],
    ['xml //Price over 40', false],
  ])('is checked by XPath with namespaces: %s', (sentence, expected) => {
    expect(verify(sentence)).toBe(expected)
  })

  // XPath 1.0, section 2.5, abbreviated syntax, over the document that its examples speak of; from memory.
  it('selects as the examples of XPath 1.0 say', () => {
    const doc =
      '<doc><chapter><section>1</section><section>2</section></chapter><para type="warning">a</para><para type="plain">b</para><para>c</para></doc>'
    const found = (path: string) => compileKeep(keep(`xml ${path} all`), named)(answer(doc), [], () => 0)

    expect(found('/doc/chapter[1]/section[2]')).toEqual(['2'])
    expect(found('//para[@type="warning"]')).toEqual(['a'])
    expect(found('/doc/para[last()]')).toEqual(['c'])
    expect(found('/doc/para/@type')).toEqual(['warning', 'plain'])
  })

  it.each([
    'doc("file:///etc/hostname")',
    'collection("file:///etc")',
    'unparsed-text("file:///etc/hostname")',
    'json-doc("file:///etc/hostname")',
    'environment-variable("PATH")',
  ])('is asked for itself alone: %s reaches nothing', (path) => {
    const told = () => verify(`xml ${path} exists`)
    try {
      expect(told()).toBe(false)
    } catch (error) {
      expect(String(error)).not.toMatch(/AssertionError/)
    }
  })

  it('that is none, or that would expand without end, cannot be read', () => {
    const bomb = `<!DOCTYPE b [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;">]><b>&c;</b>`

    expect(() => verify('xml //Price is missing', '{"a":1}')).toThrow('not XML: starts with {')
    expect(() => verify('xml //b contains "haha"', bomb)).toThrow('not XML: begins with <, and cannot be parsed')
  })
})

describe('the other subjects', () => {
  const body = '{"id":"LKM-204711","places":[1,2,3]}'

  it.each([
    ['size is 36', true],
    ['size under 1 kB', true],
    ['response time under 100 ms', false],
    ['response time at most 120 ms', true],
    ['body matches /LKM-\\d{6}/', true],
  ])('%s: %s', (sentence, expected) => {
    expect(holds(sentence, answer(body))).toBe(expected)
  })

  it('fit a schema, with its neighbours, or do not', () => {
    // JSON Schema 2020-12, "Understanding JSON Schema": $ref to $defs; formats are judged.
    const document = {
      $defs: { place: { type: 'integer', minimum: 1 } },
      components: {
        type: 'object',
        required: ['id'],
        properties: { places: { type: 'array', items: { $ref: '#/$defs/place' } } },
      },
    }
    const schema = { ...check('body fits schema s.json#/components'), schema: { document, pointer: '/components' } }
    const fits = (text: string) => compileCheck(schema, context)(answer(text), [])
    const reason = (text: string) => compileReason(schema, context)?.(answer(text), [])

    expect(fits(body)).toBe(true)
    expect(fits('{"id":"x","places":[0]}')).toBe(false)
    expect(fits('{}')).toBe(false)
    expect([body, '{"id":"x","places":[3,0]}', '{}', 'no JSON'].map(reason)).toEqual([
      '',
      '/places/* must be >= 1',
      "it must have required property 'id'",
      'it is not JSON',
    ])
  })

  it('keep cookies and matches', () => {
    expect(kept('cookie session', answer(body))).toBe('"ab=c"')
    expect(kept('cookie none or "no"', answer(body))).toBe('no')
    expect(kept('match /LKM-(\\d+)/', answer(body))).toBe('204711')
    expect(kept('match /\\d/ number 3', answer(body))).toBe('4')
  })
})

describe('a URL', () => {
  it('takes any text that a response may hold, and never throws', () => {
    const steps = '      - send: GET /{x}{?x}{+x}{x:3}\n        query: { q: "{x}" }'
    const { plan } = read(planText({ top: 'values: { x: a }\n', journeys: `  a:\n    steps:\n${steps}` }))
    const request = compileRequest(plan.journeys[0]?.steps[0] as SendStep, [], lookup, () => new Uint8Array())
    fc.assert(
      fc.property(fc.string({ unit: 'binary' }), fc.constantFrom('', '\ud83d', '\udc00'), (text, half) => {
        const url = request.url([text + half])
        expect(url === undefined || !/[\s<>"]/.test(url)).toBe(true)
      }),
    )
  })
})

describe('bodies', () => {
  const made = (body: string, files: Record<string, string> = {}) => {
    const { plan, problems } = read(
      planText({
        journeys: `  a:\n    steps:\n      - send: GET /first\n        keep: { x: body }\n      - send: POST /\n        ${body}`,
      }),
      files,
    )
    expect(problems).toEqual([])
    const request = compileRequest(plan.journeys[0]?.steps[1] as SendStep, [], lookup, () => new Uint8Array([0, 255]))
    const bytes = request.body?.(['<&"\'>']) ?? ''
    return {
      headers: request.headers([]),
      text: typeof bytes === 'string' ? bytes : new TextDecoder('latin1').decode(bytes),
    }
  }

  it('of XML take values as text, never as markup', () => {
    expect(made('xml: "<a>{x}</a>"').text).toBe('<a>&#60;&#38;&#34;&#39;&#62;</a>')
  })

  // RFC 7578, section 4, and RFC 2046, section 5.1.1.
  it('of several parts are multipart/form-data', () => {
    const { headers, text } = made(
      'multipart: { note: "for {x}", "a\\"b": { file: img/pier.jpg, type: image/jpeg } }',
      { 'img/pier.jpg': '' },
    )
    const boundary = /boundary=(\S+)/.exec(headers[1] ?? '')?.[1] ?? ''

    expect(text.split(`--${boundary}`)).toEqual([
      '',
      '\r\nContent-Disposition: form-data; name="note"\r\n\r\nfor <&"\'>\r\n',
      '\r\nContent-Disposition: form-data; name="a%22b"; filename="pier.jpg"\r\nContent-Type: image/jpeg\r\n\r\n\0\xff\r\n',
      '--\r\n',
    ])
  })
})
