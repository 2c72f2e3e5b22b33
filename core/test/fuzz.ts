// Laws that hold for whatever text a stranger hands us: every parser and every evaluator, on texts that are nearly
// right. `npm run fuzz` tries them for as long as one likes; the tests try each for a moment, and the seeds that once
// found something for ever.
import fc from 'fast-check'
import {
  compileCheck,
  compileKeep,
  compileReason,
  importCurl,
  ImportFault,
  importHar,
  importOpenApi,
  importUrl,
  importWsdl,
  parseHours,
  parseJson,
  parseMetricPage,
  readHar,
  readOpenApi,
  readPlan,
  readResult,
  readSentence,
  readTarget,
  readWsdl,
  Received,
  usualChoice,
  type Check,
  type Json,
} from '../src/index.js'
import { parseCsv, parseJsonLines } from '../src/plan/data.js'

export interface Law {
  name: string
  texts: fc.Arbitrary<string>
  /** Throws for a text that breaks the law. */
  holds: (text: string) => void
}

/** Texts near to the given ones: cut, doubled, mixed with one another and with what means something to somebody. */
function near(...texts: string[]): fc.Arbitrary<string> {
  const pieces = texts.flatMap((text) => text.split(/(?<=[\s[\]{}()"'<>:,./@*?|])/)).filter((piece) => piece !== '')
  const odd = [
    '"',
    "'",
    '{',
    '}',
    '[',
    ']',
    '(',
    ')',
    '<',
    '>',
    '&',
    '\\',
    '\0',
    '\n',
    '\t',
    ' #',
    ': ',
    '- ',
    '%',
    '$',
  ]
  const large = [
    '9'.repeat(40),
    '-1',
    '1e999',
    '[*]',
    '..',
    '//',
    '(a+)+',
    '\ud800',
    '\u202e',
    '{{',
    '&lt;',
    '<!--',
    '!!',
  ]
  const piece = fc.oneof(fc.constantFrom(...pieces), fc.constantFrom(...odd, ...large), fc.string({ maxLength: 4 }))
  const edit = fc.record({ at: fc.double({ min: 0, max: 1, noNaN: true }), take: fc.nat(12), put: piece })
  return fc.tuple(fc.constantFrom(...texts), fc.array(edit, { minLength: 1, maxLength: 8 })).map(([text, edits]) =>
    edits.reduce((now, { at, take, put }) => {
      const from = Math.floor(at * (now.length + 1))
      return (now.slice(0, from) + put + now.slice(from + take)).slice(0, 20_000)
    }, text),
  )
}

const law = (name: string, texts: fc.Arbitrary<string>, holds: (text: string) => unknown): Law => ({
  name,
  texts,
  holds: (text) => void holds(text),
})

const SENTENCES = {
  Gate: [
    'p95 response time of search under 300 ms during peak',
    'failed requests at most 1 %',
    'throughput at least 5/s',
  ],
  Check: ['json $.a[?@.b > 1] has at least 2 items', 'xpath //s:a[1]/@b exists', 'header "x-y" matches /a{2,3}/i'],
  Keep: ['secret json $.token', 'match /(\\d+)-(\\d+)/ group 2 or "none"', 'any of xpath //a/text()'],
  RatesOnly: ['5/s to 20/s', '300/min'],
  WaitOnly: ['1s to 5s', 'around 2s', 'exponential 3s'],
  StopOnly: ['after 10 breached seconds in a row'],
} as const
const STEPS = `setup:
  - send: POST /sessions
    json: { user: "{secret.user}" }
    keep: { token: secret json $.token }
values: { n: { whole: 1 to 4 }, c: { pattern: "[A-Z]{3}" } }
data: { people: { file: people.csv, take: in turn } }
journeys:
  look:
    weight: 2
    steps:
      - send: GET /sailings{?from}
        with: { from: "{people.name}" }
        check: [status is 200, json $.sailings has at least 1 item]
      - repeat: { until: json $.state is "done", at most: 20 }
        steps: [ send: GET /state ]
      - pick:
          - { weight: 3, steps: [ send: GET /a ] }
`
const PLAN = `jolt: 1
name: Fuzz
target: http://127.0.0.1:7710
${STEPS}load:
  - { phase: up, rate: 1/s to 9/s, for: 10s }
  - { phase: hold, users: 4, for: 1m }
gates:
  - p95 response time under 300 ms
  - failed requests at most 1 %
`
const TARGET = `origin: https://booking.example
also: [http://127.0.0.1:1]
secrets: [user]
metrics: { queue: { url: /metrics, family: q, labels: { a: b }, as: ratio of r } }
permission: { by: Ida, rate: 50/s, hours: "Mon to Fri 06:00 to 18:00", until: 2099-12-31 }
tls: { verify: no }
proxy: http://127.0.0.1:3128
`
const HAR = JSON.stringify({
  log: {
    version: '1.2',
    pages: [{ id: 'p', title: 'Home', startedDateTime: '2026-01-01T00:00:00Z', pageTimings: {} }],
    entries: ['one', 'two'].map((name, index) => ({
      pageref: 'p',
      startedDateTime: `2026-01-01T00:00:0${String(index)}Z`,
      time: 12,
      request: {
        method: 'POST',
        url: `https://booking.example/${name}?t=abc123abc123`,
        headers: [{ name: 'Cookie', value: 'session=abc123abc123' }],
        postData: { mimeType: 'application/json', text: '{"a":[1,{"b":"abc123abc123"}]}' },
      },
      response: { status: 200, headers: [], content: { mimeType: 'application/json', text: '{"id":"abc123abc123"}' } },
    })),
  },
})
const OPENAPI = JSON.stringify({
  openapi: '3.1.0',
  info: { title: 'T', version: '1' },
  servers: [{ url: 'http://127.0.0.1:1/v1' }],
  components: {
    schemas: { A: { type: 'object', required: ['a'], properties: { a: { $ref: '#/components/schemas/A' } } } },
  },
  paths: {
    '/x/{id}': {
      post: {
        parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string', pattern: '[a-z]{3}' } }],
        requestBody: { content: { 'application/json': { schema: { $ref: '#/components/schemas/A' } } } },
        responses: { 201: { description: 'made', content: { 'application/json': { schema: { type: 'array' } } } } },
      },
    },
  },
})
const WSDL = `<definitions name="S" targetNamespace="urn:s" xmlns:t="urn:s" xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:x="http://www.w3.org/2001/XMLSchema"><types><x:schema targetNamespace="urn:s"><x:element name="In"><x:complexType><x:sequence><x:element name="a" type="x:string"/></x:sequence></x:complexType></x:element></x:schema></types><message name="M"><part name="p" element="t:In"/></message><portType name="P"><operation name="O"><input message="t:M"/></operation></portType><binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="O"><soap:operation soapAction="urn:o"/><input><soap:body use="literal"/></input></operation></binding><service name="S"><port name="Q" binding="t:B"><soap:address location="http://127.0.0.1:1/s"/></port></service></definitions>`
const METRICS = '# TYPE a counter\n# UNIT a seconds\na_total{b="c\\"d",e="f"} 1.5e3 1700000000\n# EOF\n'
const JSON_BODY = '{"a":[{"b":1,"c":"x"},{"b":null}],"d":{"e":[true,-1.5e3]},"f":"\\u00e9"}'
const XML_BODY = '<?xml version="1.0"?><s:a xmlns:s="urn:s" b="1"><c>x</c><c d="e">&amp;<![CDATA[y]]></c></s:a>'
const SCHEMA =
  '{"type":"object","required":["a"],"properties":{"a":{"type":"array","items":{"$ref":"#"},"minItems":1}}}'

const at = { file: 'x', line: 1, column: 1 }
const context = { lookup: () => () => 'x', namespaces: { s: 'urn:s' } }
const answer = (body: string) =>
  new Received(200, body, { header: () => 'a', setCookies: () => ['a=b; Path=/'], size: body.length, timeMs: 1 })

/** Evaluates what may be evaluated; that it cannot be is an error of the usual kind, and nothing else. */
function evaluates(work: () => unknown): void {
  try {
    work()
  } catch (error) {
    if (!(error instanceof Error)) throw new TypeError('something else than an error was thrown', { cause: error })
  }
}
function evaluateCheck(sentence: string, body: string, schema?: Json): void {
  const parsed = readSentence('Check', sentence)
  if (!parsed.ok) return
  const check: Check = { ...parsed.value, name: sentence, schema, at }
  evaluates(() => compileCheck(check, context)(answer(body), []))
  evaluates(() => compileReason(check, context)?.(answer(body), []))
}
function evaluateKeep(sentence: string, body: string): void {
  const parsed = readSentence('Keep', sentence)
  if (parsed.ok) evaluates(() => compileKeep({ ...parsed.value, name: 'k', at }, context)(answer(body), [], () => 0.5))
}
function imports(work: () => unknown): void {
  try {
    work()
  } catch (error) {
    if (!(error instanceof ImportFault)) throw error
  }
}
function placesAreInside(text: string, problems: readonly { line: number; column: number }[]): void {
  const lines = text.split('\n').length
  for (const { line, column } of problems)
    if (!(line > 0 && line <= lines + 1 && column > 0)) throw new RangeError(`a problem stands at ${line}:${column}`)
}
const operations = (reading: { operations: { id: string }[] }) => reading.operations.map(({ id }) => id)

export const LAWS: readonly Law[] = [
  ...Object.entries(SENTENCES).map(([rule, texts]) =>
    law(`sentence ${rule}`, near(...texts), (text) => readSentence(rule as keyof typeof SENTENCES, text)),
  ),
  law('plan', near(PLAN), (text) => {
    placesAreInside(text, readPlan('p.gate.yaml', text, { files: () => 'name\na\n' }).problems)
  }),
  law('target', near(TARGET), (text) => {
    placesAreInside(text, readTarget('targets/t.target.yaml', text).problems)
  }),
  law('hours', near('Mon to Fri 06:00 to 18:00, Sat 22:00 to 05:00'), parseHours),
  law('CSV', near('a,b\n"c ""d""",e\n'), parseCsv),
  law('JSON Lines', near('{"a":1}\n{"a":"b"}\n'), parseJsonLines),
  law('JSON', near(JSON_BODY), parseJson),
  law('OpenMetrics', near(METRICS), parseMetricPage),
  law('result.json', near('{"jolt-result":1,"plan":{"name":"x"},"steps":[],"gates":[{"rule":"x"}]}'), readResult),
  law('HAR', near(HAR), (text) => {
    imports(() => {
      const reading = readHar(text)
      importHar(reading, { ...usualChoice(reading, 'n'), waits: 'around', byPage: true })
    })
  }),
  law('OpenAPI', near(OPENAPI), (text) => {
    imports(() => {
      const reading = readOpenApi(text)
      importOpenApi(reading, { name: 'n', origin: 'http://127.0.0.1:1', operations: operations(reading) })
    })
  }),
  law('WSDL', near(WSDL), (text) => {
    imports(() => {
      const reading = readWsdl(text)
      importWsdl(reading, { name: 'n', operations: operations(reading) })
    })
  }),
  law('curl', near(`curl -u a:b -H 'x: y' --data-raw '{"a":1}' -X PUT "http://127.0.0.1:1/a?b=c"`), (text) => {
    imports(() => importCurl(text, 'n'))
  }),
  law('URL', near('https://booking.example:8443/a/b?c=d#e'), (text) => {
    imports(() => importUrl(text, 'n'))
  }),
  law('check, sentence', near(...SENTENCES.Check, 'json $ is 1', 'body matches /(x+x+)y/'), (text) => {
    evaluateCheck(text, JSON_BODY)
    evaluateCheck(text, XML_BODY)
  }),
  law('check on JSON, body', near(JSON_BODY), (text) => {
    evaluateCheck('json $..[?@.b > 0] exists', text)
  }),
  law('check by XPath, body', near(XML_BODY), (text) => {
    evaluateCheck('xpath //s:a[c]/@b is "1"', text)
  }),
  law('JSONPath', near('$.a[?@.b > 1 && @.c == "x"]', "$..['d'][0:2:-1]", '$[?length(@.*) > 1]'), (text) => {
    evaluateCheck(`json ${text} exists`, JSON_BODY)
  }),
  law('XPath', near('//s:a[c="x"]/@b', 'count(//c) > 1', 'for $x in //c return string-join($x, ",")'), (text) => {
    evaluateCheck(`xpath ${text} exists`, XML_BODY)
  }),
  law('schema', near(SCHEMA), (text) => {
    const document = parseJson(text)
    if (document !== undefined) evaluateCheck('body fits schema s.json', JSON_BODY, { document, pointer: '' })
  }),
  law('keep, sentence', near(...SENTENCES.Keep), (text) => {
    evaluateKeep(text, JSON_BODY)
    evaluateKeep(text, XML_BODY)
  }),
]
