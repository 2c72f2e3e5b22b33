// Plans from what exists. Documents of others are published examples, named beside each.
import { execFileSync } from 'node:child_process'
import {
  importCurl,
  ImportFault,
  importHar,
  importOpenApi,
  importUrl,
  importWsdl,
  kindOf,
  leftOutOf,
  readHar,
  readOpenApi,
  readPlan,
  readWsdl,
  shellWords,
  usualChoice,
  type Imported,
} from '@jolt-gate/core'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'

/** The plan that was made, which must be right as it is; secrets are given by name. */
function planOf({ files }: Imported) {
  const texts = new Map(files.map(({ path, text }) => [path, text]))
  const [first] = files
  const reading = readPlan(first?.path ?? '', first?.text ?? '', { files: (path) => texts.get(path) })
  const errors = reading.problems.filter(({ severity }) => severity === 'error')
  expect(errors.map(({ line, message }) => `${String(line)}: ${message}`)).toEqual([])
  return { plan: reading.plan, text: first?.text ?? '' }
}

// ---------- HAR

const SITE = 'http://ferries.example'
let clock = Date.parse('2026-06-01T08:00:00Z')
function entry(method: string, url: string, more: { after?: number; page?: string; body?: unknown; form?: [string, string][]; headers?: [string, string][]; status?: number; type?: string; answer?: string; location?: string } = {}) {
  clock += 20 + (more.after ?? 0)
  const pair = ([name, value]: [string, string]) => ({ name, value })
  return {
    pageref: more.page ?? 'page_1',
    startedDateTime: new Date(clock).toISOString(),
    time: 20,
    request: {
      method, url: url.startsWith('http') ? url : SITE + url, httpVersion: 'HTTP/1.1', cookies: [], queryString: [], headersSize: -1, bodySize: -1,
      headers: [['User-Agent', 'x'], ['Accept', 'application/json, text/plain'], ['Cookie', 'a=b'], ...(more.headers ?? [])].map((one) => pair(one as [string, string])),
      ...(more.body === undefined ? {} : { postData: { mimeType: 'application/json', text: JSON.stringify(more.body) } }),
      ...(more.form === undefined ? {} : { postData: { mimeType: 'application/x-www-form-urlencoded', params: more.form.map(pair), text: '' } }),
    },
    response: {
      status: more.status ?? 200, statusText: '', httpVersion: 'HTTP/1.1', cookies: [], redirectURL: more.location ?? '', headersSize: -1, bodySize: -1,
      headers: more.location === undefined ? [] : [pair(['Location', more.location])],
      content: { size: 1, mimeType: more.type ?? 'application/json', text: more.answer ?? '{}' },
    },
    cache: {}, timings: { send: 0, wait: 20, receive: 0 },
  }
} // prettier-ignore

const hold = 'LF-2026-118'
const RECORDING = JSON.stringify({
  log: {
    version: '1.2',
    creator: { name: 'test', version: '1' },
    pages: [{ id: 'page_1', title: `${SITE}/timetable`, startedDateTime: '2026-06-01T08:00:00Z', pageTimings: {} }],
    entries: [
      entry('GET', '/timetable', { type: 'text/html', answer: '<form><input name="csrf" value="a81bc81b-dead"></form>' }),
      entry('GET', '/style.css', { type: 'text/css' }),
      entry('GET', 'http://count.example/collect?x=1', { status: 204 }),
      entry('OPTIONS', '/api/sessions', { headers: [['Access-Control-Request-Method', 'POST']] }),
      entry('POST', '/api/sessions', { body: { user: 'ida', password: 'low-tide', csrf: 'a81bc81b-dead' }, answer: '{"token":"tok-77aa12"}' }),
      entry('GET', '/api/sailings?from=LARKHOLM&day=2026-06-14', { after: 4000, answer: '{"sailings":[{"id":"OSTREY_0710"}]}', headers: [['Authorization', 'Bearer tok-77aa12']] }),
      entry('POST', '/api/holds', { after: 2000, body: { sailing: 'OSTREY_0710', people: 2 }, answer: `{"id":"${hold}"}`, status: 201, headers: [['Authorization', 'Bearer tok-77aa12']] }),
      entry('POST', '/pay', { form: [['hold', hold], ['note', 'a {b}']], status: 303, location: `/holds/${hold}`, type: 'text/html' }),
      entry('GET', `/holds/${hold}`, { type: 'text/html' }),
    ],
  },
}) // prettier-ignore

describe('a recording', () => {
  const reading = readHar(RECORDING)
  const made = importHar(reading, usualChoice(reading, 'Book a place'))

  it('offers its hosts, and leaves out files, trackers, preflights and what a redirect led to', () => {
    expect(reading.hosts).toEqual([{ origin: SITE, requests: 8 }, { origin: 'http://count.example', requests: 1 }]) // prettier-ignore
    const choice = usualChoice(reading, 'x')
    expect(reading.entries.map((one) => leftOutOf(one, choice))).toEqual([
      undefined, 'static file', 'other host', 'preflight', undefined, undefined, undefined, undefined, 'redirect',
    ]) // prettier-ignore
  })

  it('becomes a plan that reads as if it were written by hand', () => {
    expect(planOf(made).text).toBe(`jolt: 1
name: Book a place
target: book-a-place

journeys:
  visit:
    steps:
      - group: page timetable
        steps:
          - send: GET /timetable
            name: timetable
            headers:
              accept: application/json
            check:
              - status is 200
            keep:
              csrf: secret match /name="csrf" value="([^"'<>\\s&?\\/]+)/
          - send: POST /api/sessions
            name: send api sessions
            headers:
              accept: application/json
            json: { user: "{secret.user}", password: "{secret.password}", csrf: "{csrf}" }
            check:
              - status is 200
            keep:
              token: secret json $.token
          - wait: 2s to 6s
          - send: GET /api/sailings?from=LARKHOLM&day=2026-06-14
            name: api sailings
            headers:
              accept: application/json
            sign: { bearer: "{token}" }
            check:
              - status is 200
            keep:
              sailing: json $.sailings[0].id
          - wait: 1s to 3s
          - send: POST /api/holds
            name: send api holds
            headers:
              accept: application/json
            json: { sailing: "{sailing}", people: 2 }
            sign: { bearer: "{token}" }
            check:
              - status is 201
            keep:
              hold: json $.id
          - send: POST /pay
            name: send pay
            headers:
              accept: application/json
            form:
              hold: "{hold}"
              note: a {{b}
            check:
              - status is 200

load:
  - { phase: visit, rate: 1/s, for: 30s }

gates:
  - failed requests at most 1 %
`)
    expect(made.secrets).toEqual({ user: 'ida', password: 'low-tide' })
    expect(made.files[1]).toEqual({
      path: 'targets/book-a-place.target.yaml',
      text: `origin: ${SITE}\nsecrets:\n  - user\n  - password\n`,
    })
    expect(made.files.map(({ text }) => text).join()).not.toContain('low-tide')
  })

  it('keeps waits as recorded, rounded, around, or none', () => {
    const waits = (kind: 'kept' | 'rounded' | 'none') =>
      [...planOf(importHar(reading, { ...usualChoice(reading, 'x'), waits: kind })).text.matchAll(/wait: (.*)/g)].map(([, wait]) => wait) // prettier-ignore
    expect(waits('kept')).toEqual(['4s', '2s'])
    expect(waits('rounded')).toEqual(['4s', '2s'])
    expect(waits('none')).toEqual([])
  })

  it.each([
    ['{}', /no "log"/],
    ['{"log":{"entries":[]}}', /no entries/],
    ['{"log":{"entries":[{"request":{"url":"nowhere"}}]}}', /entry 1: "nowhere" is not a URL/],
    ['{"log":{"entries":[{"request":{"url":"http://x/"}}]}}', /entry 1: startedDateTime/],
  ])('that is not right is refused with its place: %s', (text, words) => {
    expect(() => readHar(text)).toThrow(words)
    expect(() => readHar(text)).toThrow(ImportFault)
  })
})

// ---------- curl

describe('a command line of curl', () => {
  // POSIX.1-2017, Shell Command Language, 2.2 Quoting: what a real shell makes of the same line.
  it('is split as a shell splits it', () => {
    const quoted = fc.constantFrom(
      "'a b'",
      '"c d"',
      String.raw`e\ f`,
      `'it'\\''s'`,
      '"g\\"h"',
      'plain',
      `"$" 'x'`,
      String.raw`'\n'`,
      `''`,
    )
    fc.assert(
      fc.property(fc.array(quoted, { minLength: 1, maxLength: 6 }), (parts) => {
        const line = `curl ${parts.join(' ')}`
        const words = execFileSync('sh', ['-c', `for word in ${line}; do printf '%s\\0' "$word"; done`], {
          encoding: 'utf8',
        })
        expect(shellWords(line)).toEqual(words.split('\0').slice(0, -1))
      }),
      { numRuns: 40 },
    )
  })

  it('becomes a request, with what is secret taken out', () => {
    const made = importCurl(`curl -X PUT 'http://ferries.example/holds/7?a=b' \\
      -H 'Accept: application/json' -H 'X-Api-Key: k-123' -u ida:low-tide --data-raw '{"people": 2}' --compressed`)
    const [step] = planOf(made).plan.journeys[0]?.steps ?? []

    expect(step).toMatchObject({ method: 'PUT', url: '/holds/7?a=b', sign: { kind: 'basic', user: '{secret.user}' }, body: { kind: 'json' } }) // prettier-ignore
    expect(made.secrets).toEqual({ x_api_key: 'k-123', user: 'ida', password: 'low-tide' })
  })

  it.each([
    [`curl http://x.example/ -d a=1 -d 'b=2 3'`, { method: 'POST', body: { kind: 'form', fields: [['a', '1'], ['b', '2 3']] } }],
    [`curl -G http://x.example/s --data-urlencode 'q=a b'`, { method: 'GET', url: '/s?q=a%20b' }],
    [`curl -I http://x.example/s`, { method: 'HEAD' }],
    [`curl --json '{"a":1}' http://x.example/s`, { method: 'POST', body: { kind: 'json' } }],
    [`curl http://x.example/ --data-raw $'a=it\\'s\\u0021'`, { body: { kind: 'form', fields: [['a', "it's!"]] } }],
    [`curl -F name=Ida http://x.example/`, { body: { kind: 'multipart', parts: [{ kind: 'text', name: 'name', text: 'Ida' }] } }],
  ])('means what curl means: %s', (line, wanted) => {
    expect(planOf(importCurl(line)).plan.journeys[0]?.steps[0]).toMatchObject(wanted)
  }) // prettier-ignore

  it('is refused when it is none', () => {
    expect(() => importCurl('wget http://x/')).toThrow(/begin with curl/)
    expect(() => importCurl('curl http://x/ | sh')).toThrow(/no part of one command/)
    expect(() => importCurl('curl file:///etc/passwd')).toThrow(/only http/)
  })
})

describe('a URL alone', () => {
  it('becomes one request with a check', () => {
    expect(planOf(importUrl('http://ferries.example/sailings?from={x}')).plan.journeys[0]?.steps[0]).toMatchObject({ url: '/sailings?from=%7Bx%7D', checks: [{ name: 'status is 200' }] }) // prettier-ignore
  })
})

// ---------- OpenAPI

// Source: the example "petstore" of the OpenAPI Specification's repository, examples/v3.0/petstore.yaml; from memory.
const PETSTORE = `openapi: "3.0.0"
info: { version: 1.0.0, title: Swagger Petstore, license: { name: MIT } }
servers:
  - url: http://petstore.swagger.io/v1
paths:
  /pets:
    get:
      summary: List all pets
      operationId: listPets
      parameters:
        - { name: limit, in: query, description: How many items to return, required: false, schema: { type: integer, maximum: 100, format: int32 } }
      responses:
        '200':
          description: A paged array of pets
          content: { application/json: { schema: { $ref: "#/components/schemas/Pets" } } }
        default: { description: unexpected error, content: { application/json: { schema: { $ref: "#/components/schemas/Error" } } } }
    post:
      summary: Create a pet
      operationId: createPets
      requestBody: { content: { application/json: { schema: { $ref: '#/components/schemas/Pet' } } }, required: true }
      responses:
        '201': { description: Null response }
  /pets/{petId}:
    get:
      summary: Info for a specific pet
      operationId: showPetById
      parameters:
        - { name: petId, in: path, required: true, schema: { type: string } }
      responses:
        '200':
          description: Expected response to a valid request
          content: { application/json: { schema: { $ref: "#/components/schemas/Pet" } } }
components:
  schemas:
    Pet: { type: object, required: [id, name], properties: { id: { type: integer, format: int64 }, name: { type: string }, tag: { type: string, nullable: true } } }
    Pets: { type: array, maxItems: 100, items: { $ref: "#/components/schemas/Pet" } }
    Error: { type: object, required: [code, message], properties: { code: { type: integer }, message: { type: string } } }
`

describe('an OpenAPI description', () => {
  it('becomes the operations that are chosen, with made values and checks of the response schemas', () => {
    const reading = readOpenApi(PETSTORE)
    expect(reading.operations.map(({ id }) => id)).toEqual(['GET /pets', 'POST /pets', 'GET /pets/{petId}'])
    const made = importOpenApi(reading, { name: 'Pets', origin: 'http://127.0.0.1:9', operations: reading.operations.map(({ id }) => id) }) // prettier-ignore
    const { text, plan } = planOf(made)

    expect(text).toContain(
      '- send: GET /v1/pets/{petId}\n        name: Info for a specific pet\n        with: { petId: string }',
    )
    expect(text).toContain('fits schema schemas/swagger-petstore.openapi.json#/paths/~1pets/get/responses/200/content/application~1json/schema') // prettier-ignore
    expect(text).toContain('json: { id: 0, name: string, tag: string }')
    expect(plan.journeys[0]?.steps).toHaveLength(3)
    // The schema is found and compiled from the file that was made, with what was nullable in 3.0.
    expect(made.files[1]?.text).toContain('"null"')
  })

  it('signs as its security schemes say, and signs in where it can', () => {
    const secured = (scheme: string, more = '') =>
      readOpenApi(`openapi: 3.1.0\ninfo: { title: S, version: '1' }\nsecurity: [{ s: [] }]\ncomponents: { securitySchemes: { s: ${scheme} } }\npaths:\n  /a: { get: { responses: { '200': { description: ok } } } }\n${more}`) // prettier-ignore
    const textFor = (scheme: string, more?: string) =>
      planOf(importOpenApi(secured(scheme, more), { name: 'S', origin: 'http://127.0.0.1:9', operations: ['GET /a'] }))
        .text
    expect(textFor('{ type: http, scheme: basic }')).toContain(
      'sign: { basic: ["{secret.user}", "{secret.password}"] }',
    )
    expect(textFor('{ type: apiKey, in: header, name: X-Key }')).toContain('x-key: "{secret.api_key}"')
    expect(textFor('{ type: http, scheme: bearer }')).toContain('sign: { bearer: "{secret.token}" }')
    expect(textFor('{ type: oauth2, flows: { clientCredentials: { tokenUrl: /token, scopes: {} } } }')).toMatch(/setup:[^]*grant_type: client_credentials[^]*token: secret json \$\.access_token[^]*bearer: "\{token\}"/) // prettier-ignore
    const signIn = `  /sessions: { post: { security: [], requestBody: { content: { application/json: { schema: { type: object, properties: { user: { type: string }, password: { type: string } } } } } }, responses: { '201': { description: ok } } } }`
    expect(textFor('{ type: http, scheme: bearer }', signIn)).toMatch(/setup:\n {2}- send: POST \/sessions[^]*password: "\{secret.password\}"[^]*token: secret json \$\.token[^]*sign: \{ bearer: "\{token\}" \}/) // prettier-ignore
  })

  it('is refused when it is none', () => {
    expect(() => readOpenApi('swagger: "2.0"')).toThrow(/no "openapi"/)
    expect(() => readOpenApi('openapi: 2.0.0')).toThrow(/is not read/)
    expect(() => readOpenApi('openapi: 3.1.0\npaths: {}')).toThrow(/no operations/)
    expect(() => readOpenApi('a: [')).toThrow(/neither JSON nor YAML/)
  })
})

// ---------- WSDL

// Source: example 1 of the WSDL 1.1 note, "SOAP 1.1 Request/Response via HTTP" (W3C, 15 March 2001); from memory.
const STOCK_QUOTE = `<?xml version="1.0"?>
<definitions name="StockQuote" targetNamespace="http://example.com/stockquote.wsdl" xmlns:tns="http://example.com/stockquote.wsdl"
    xmlns:xsd1="http://example.com/stockquote.xsd" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns="http://schemas.xmlsoap.org/wsdl/">
  <types>
    <schema targetNamespace="http://example.com/stockquote.xsd" xmlns="http://www.w3.org/2000/10/XMLSchema">
      <element name="TradePriceRequest"><complexType><all><element name="tickerSymbol" type="string"/></all></complexType></element>
      <element name="TradePrice"><complexType><all><element name="price" type="float"/></all></complexType></element>
    </schema>
  </types>
  <message name="GetLastTradePriceInput"><part name="body" element="xsd1:TradePriceRequest"/></message>
  <message name="GetLastTradePriceOutput"><part name="body" element="xsd1:TradePrice"/></message>
  <portType name="StockQuotePortType">
    <operation name="GetLastTradePrice"><input message="tns:GetLastTradePriceInput"/><output message="tns:GetLastTradePriceOutput"/></operation>
  </portType>
  <binding name="StockQuoteSoapBinding" type="tns:StockQuotePortType">
    <soap:binding style="document" transport="http://schemas.xmlsoap.org/soap/http"/>
    <operation name="GetLastTradePrice">
      <soap:operation soapAction="http://example.com/GetLastTradePrice"/>
      <input><soap:body use="literal"/></input><output><soap:body use="literal"/></output>
    </operation>
  </binding>
  <service name="StockQuoteService">
    <documentation>My first service</documentation>
    <port name="StockQuotePort" binding="tns:StockQuoteSoapBinding"><soap:address location="http://example.com/stockquote"/></port>
  </service>
</definitions>`

describe('a WSDL description', () => {
  it('becomes envelopes made from the schema, checked by XPath', () => {
    const reading = readWsdl(STOCK_QUOTE)
    const made = importWsdl(reading, { name: 'Quotes', operations: reading.operations.map(({ id }) => id) })
    const [step] = planOf(made).plan.journeys[0]?.steps ?? []

    expect(step).toMatchObject({
      name: 'GetLastTradePrice',
      url: '/stockquote',
      body: { kind: 'xml', text: expect.stringMatching(/<m:TradePriceRequest xmlns:m="http:\/\/example.com\/stockquote.xsd">\s*<tickerSymbol>text<\/tickerSymbol>\s*<\/m:TradePriceRequest>/) as string },
      checks: [{ name: 'status is 200' }, { name: 'xml //soap:Body/m:TradePrice exists' }, { name: 'xml //soap:Fault is missing' }],
    }) // prettier-ignore
    expect(step).toMatchObject({
      headers: expect.arrayContaining([['soapaction', '"http://example.com/GetLastTradePrice"']]) as unknown,
    })
  })

  it('is refused when it is none', () => {
    expect(() => readWsdl('<a/>')).toThrow(/no WSDL/)
    expect(() => readWsdl('<a')).toThrow(/no XML/)
    expect(() => readWsdl('<!DOCTYPE a [<!ENTITY b "c">]><a/>')).toThrow(/DOCTYPE/)
  })
})

describe('the kind of a text', () => {
  it.each([
    ['har', RECORDING],
    ['openapi', PETSTORE],
    ['wsdl', STOCK_QUOTE],
    ['curl', 'curl http://x/'],
    ['url', 'http://x.example/a'],
    [undefined, 'hello'],
  ])('is found: %s', (kind, text) => {
    expect(kindOf(text)).toBe(kind)
  })

  it('of senseless text is refused in words, never with a fault of our own', () => {
    const readers = [readHar, readOpenApi, readWsdl, importCurl, importUrl]
    fc.assert(
      fc.property(fc.constantFrom(...readers), fc.oneof(fc.string({ maxLength: 200 }), fc.json(), fc.mixedCase(fc.constantFrom(STOCK_QUOTE.slice(0, 900), PETSTORE.slice(0, 500)))), (reader, text) => {
        try {
          reader(text)
        } catch (error) {
          expect(error).toBeInstanceOf(ImportFault)
        }
      }),
      { numRuns: 500 },
    ) // prettier-ignore
  })
})
