// Plans from descriptions of services. Documents of others are published examples, named beside each.
import {
  importCurl,
  ImportFault,
  importOpenApi,
  importUrl,
  importWsdl,
  kindOf,
  readHar,
  readOpenApi,
  readWsdl,
} from '@jolt-gate/core'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { planOf } from './imported.js'

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
    const made = importOpenApi(reading, {
      name: 'Pets',
      origin: 'http://127.0.0.1:9',
      operations: reading.operations.map(({ id }) => id),
    })
    const { text, plan } = planOf(made)

    expect(text).toContain(
      '- send: GET /v1/pets/{petId}\n        name: Info for a specific pet\n        with: { petId: string }',
    )
    expect(text).toContain(
      'fits schema schemas/swagger-petstore.openapi.json#/paths/~1pets/get/responses/200/content/application~1json/schema',
    )
    expect(text).toContain('json: { id: 0, name: string, tag: string }')
    expect(plan.journeys[0]?.steps).toHaveLength(3)
    // The schema is found and compiled from the file that was made, with what was nullable in 3.0.
    expect(made.files[1]?.text).toContain('"null"')
  })

  it('signs as its security schemes say, and signs in where it can', () => {
    const secured = (scheme: string, more = '') =>
      readOpenApi(
        `openapi: 3.1.0\ninfo: { title: S, version: '1' }\nsecurity: [{ s: [] }]\ncomponents: { securitySchemes: { s: ${scheme} } }\npaths:\n  /a: { get: { responses: { '200': { description: ok } } } }\n${more}`,
      )
    const textFor = (scheme: string, more?: string) =>
      planOf(importOpenApi(secured(scheme, more), { name: 'S', origin: 'http://127.0.0.1:9', operations: ['GET /a'] }))
        .text
    expect(textFor('{ type: http, scheme: basic }')).toContain(
      'auth: { basic: ["{secret.user}", "{secret.password}"] }',
    )
    expect(textFor('{ type: apiKey, in: header, name: X-Key }')).toContain('x-key: "{secret.api_key}"')
    expect(textFor('{ type: http, scheme: bearer }')).toContain('auth: { bearer: "{secret.token}" }')
    expect(textFor('{ type: oauth2, flows: { clientCredentials: { tokenUrl: /token, scopes: {} } } }')).toMatch(
      /setup:[^]*grant_type: client_credentials[^]*token: secret json \$\.access_token[^]*bearer: "\{token\}"/,
    )
    const signIn = `  /sessions: { post: { security: [], requestBody: { content: { application/json: { schema: { type: object, properties: { user: { type: string }, password: { type: string } } } } } }, responses: { '201': { description: ok } } } }`
    expect(textFor('{ type: http, scheme: bearer }', signIn)).toMatch(
      /setup:\n {2}- send: POST \/sessions[^]*password: "\{secret.password\}"[^]*token: secret json \$\.token[^]*auth: \{ bearer: "\{token\}" \}/,
    )
  })

  it('is refused when it is none', () => {
    expect(() => readOpenApi('swagger: "2.0"')).toThrow(/no "openapi"/)
    expect(() => readOpenApi('openapi: 2.0.0')).toThrow(/is not supported/)
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
      body: {
        kind: 'xml',
        text: expect.stringMatching(
          /<m:TradePriceRequest xmlns:m="http:\/\/example.com\/stockquote.xsd">\s*<tickerSymbol>text<\/tickerSymbol>\s*<\/m:TradePriceRequest>/,
        ) as string,
      },
      checks: [
        { name: 'status is 200' },
        { name: 'xml //soap:Body/m:TradePrice exists' },
        { name: 'xml //soap:Fault is missing' },
      ],
    })
    expect(step).toMatchObject({
      headers: expect.arrayContaining([['soapaction', '"http://example.com/GetLastTradePrice"']]) as unknown,
    })
  })

  it('is refused when it is none', () => {
    expect(() => readWsdl('<a/>')).toThrow(/not WSDL/)
    expect(() => readWsdl('<a')).toThrow(/not XML/)
    expect(() => readWsdl('<!DOCTYPE a [<!ENTITY b "c">]><a/>')).toThrow(/DOCTYPE/)
  })
})

// Source: "examples/v3.1/non-oauth-scopes.yaml" of the OpenAPI Specification's repository; from memory.
const NON_OAUTH = `openapi: 3.1.0
info: { title: Non-oAuth Scopes example, version: 1.0.0 }
paths:
  /users:
    get:
      security:
        - bearerAuth: ['read:users', 'public']
components:
  securitySchemes:
    bearerAuth: { type: http, scheme: bearer, bearerFormat: jwt, description: 'note: non-oauth scopes are not defined at the securityScheme level' }
`

describe('OpenAPI 3.1', () => {
  it('may leave responses out, and name scopes of what is no OAuth', () => {
    const reading = readOpenApi(NON_OAUTH)
    const made = importOpenApi(reading, { name: 'Users', origin: 'http://127.0.0.1:9', operations: ['GET /users'] })
    expect(planOf(made).plan.journeys[0]?.steps[0]).toMatchObject({
      url: '/users',
      auth: { kind: 'bearer', token: '{secret.token}' },
      checks: [],
    })
  })

  it('has parameters in all places, forms, and references to components', () => {
    const reading = readOpenApi(`openapi: 3.1.0
info: { title: P, version: '1' }
servers: [{ url: /v2 }]
paths:
  /things/{thing-id}:
    parameters: [{ $ref: '#/components/parameters/Thing' }]
    post:
      parameters:
        - { name: X-Trace, in: header, required: true, schema: { type: string }, example: t-1 }
        - { name: limit, in: query, required: true, schema: { type: integer, minimum: 5 } }
        - { name: skipped, in: query, schema: { type: integer } }
      requestBody: { content: { application/x-www-form-urlencoded: { schema: { type: object, properties: { name: { type: string, example: Ida } } } } } }
      responses: { '204': { description: done } }
components: { parameters: { Thing: { name: thing-id, in: path, required: true, schema: { type: string }, example: th-7 } } }
`)
    const { text } = planOf(
      importOpenApi(reading, { name: 'P', origin: 'http://127.0.0.1:9', operations: ['POST /things/{thing-id}'] }),
    )
    expect(text).toContain('send: POST /v2/things/{thing_id}{?limit}')
    expect(text).toContain('with: { thing_id: th-7, limit: 5 }')
    expect(text).toMatch(/headers:\n +x-trace: t-1/)
    expect(text).toMatch(/form:\n +name: Ida/)
    expect(text).toContain('- status is 204')
    expect(text).not.toContain('skipped')
  })
})

describe('SOAP 1.2 and rpc', () => {
  const service = (
    binding: string,
    part: string,
  ) => `<definitions name="Tides" targetNamespace="urn:tides" xmlns:t="urn:tides" xmlns:x="urn:types" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:s="${binding}" xmlns="http://schemas.xmlsoap.org/wsdl/">
  <types><xs:schema targetNamespace="urn:types" elementFormDefault="qualified">
    <xs:simpleType name="Harbour"><xs:restriction base="xs:string"><xs:enumeration value="OSTREY"/></xs:restriction></xs:simpleType>
    <xs:complexType name="Place"><xs:sequence><xs:element name="harbour" type="x:Harbour"/><xs:element name="depth" type="xs:decimal"/></xs:sequence></xs:complexType>
    <xs:element name="Ask"><xs:complexType><xs:sequence><xs:element name="place" type="x:Place"/><xs:choice><xs:element name="day" type="xs:date"/><xs:element name="week" type="xs:int"/></xs:choice></xs:sequence></xs:complexType></xs:element>
  </xs:schema></types>
  <message name="In">${part}</message><message name="Out"><part name="b" element="x:Ask"/></message>
  <portType name="P"><operation name="tide"><input message="t:In"/><output message="t:Out"/></operation></portType>
  <binding name="B" type="t:P"><s:binding style="${part.includes('element') ? 'document' : 'rpc'}" transport="http"/><operation name="tide"><s:operation soapAction="urn:tide"/></operation></binding>
  <service name="S"><port name="Port" binding="t:B"><s:address location="http://127.0.0.1:9/tides"/></port></service>
</definitions>`
  const stepOf = (text: string) => {
    const reading = readWsdl(text)
    return planOf(importWsdl(reading, { name: 'Tides', operations: reading.operations.map(({ id }) => id) })).plan
      .journeys[0]?.steps[0]
  }

  it('put the action into the media type, and fill nested types, enumerations and the first of a choice', () => {
    const step = stepOf(service('http://schemas.xmlsoap.org/wsdl/soap12/', '<part name="b" element="x:Ask"/>'))
    expect(step).toMatchObject({
      headers: [['content-type', 'application/soap+xml; charset=utf-8; action="urn:tide"']],
    })
    const xml = (step as { body: { text: string } }).body.text
    expect(xml.replaceAll(/\s+/g, '')).toContain(
      '<m:place><m:harbour>OSTREY</m:harbour><m:depth>1.5</m:depth></m:place><m:day>2026-01-31</m:day>',
    )
    expect(xml).toContain('http://www.w3.org/2003/05/soap-envelope')
  })

  it('wrap the parts of a call in its name, and look for its response', () => {
    const step = stepOf(service('http://schemas.xmlsoap.org/wsdl/soap/', '<part name="count" type="xs:int"/>'))
    expect((step as { body: { text: string } }).body.text.replaceAll(/\s+/g, ' ')).toContain(
      '<m:tide xmlns:m="urn:tides"> <count>1</count> </m:tide>',
    )
    expect(step).toMatchObject({ checks: [{}, { name: 'xml //soap:Body/m:tideResponse exists' }, {}] })
  })
})

describe('the kind of a text', () => {
  it.each([
    ['har', '{"log":{"version":"1.2","entries":[]}}'],
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
      fc.property(
        fc.constantFrom(...readers),
        fc.oneof(
          fc.string({ maxLength: 200 }),
          fc.json(),
          fc.mixedCase(fc.constantFrom(STOCK_QUOTE.slice(0, 900), PETSTORE.slice(0, 500))),
        ),
        (reader, text) => {
          try {
            reader(text)
          } catch (error) {
            expect(error).toBeInstanceOf(ImportFault)
          }
        },
      ),
      { numRuns: 500 },
    )
  })
})
