// The format as data: every key, what may stand under it, and what it means. Readers, the published JSON Schema,
// completion, hover help and the form all take it from here.
import type { Sentences } from '../../grammar/sentences.js'

/** The maps of a plan and of a target file. */
export type ContextName =
  | 'plan'
  | 'defaults'
  | 'journey'
  | 'send'
  | 'wait'
  | 'group'
  | 'together'
  | 'repeat'
  | 'until'
  | 'when'
  | 'pick'
  | 'option'
  | 'use'
  | 'call'
  | 'socket'
  | 'say'
  | 'message'
  | 'await'
  | 'sql'
  | 'check'
  | 'gate'
  | 'phase'
  | 'data'
  | 'value'
  | 'sign'
  | 'part'
  | 'target'
  | 'probe'
  | 'permission'
  | 'tls'
  | 'network'

/** What may stand under a key. */
export type Shape =
  | { kind: 'text' | 'whole' | 'switch' | 'json' | 'request' }
  | { kind: 'words'; words: readonly string[] }
  | { kind: 'sentence'; rule: keyof Sentences }
  /** A file of the repository, by the end of its name. */
  | { kind: 'file'; ending: string }
  | { kind: 'map'; of: ContextName }
  /** A map with free names. */
  | { kind: 'entries'; of: Shape }
  | { kind: 'list'; of: Shape }
  | { kind: 'step' }
  | { kind: 'one of'; shapes: readonly Shape[] }

export interface Key {
  about: string
  shape: Shape
  example: string
  isNeeded: boolean
}
export interface Context {
  about: string
  keys: Readonly<Record<string, Key>>
}

const text: Shape = { kind: 'text' }
const whole: Shape = { kind: 'whole' }
const yesNo: Shape = { kind: 'switch' }
const json: Shape = { kind: 'json' }
const words = (...list: string[]): Shape => ({ kind: 'words', words: list })
const sentence = (rule: keyof Sentences): Shape => ({ kind: 'sentence', rule })
const file = (ending: string): Shape => ({ kind: 'file', ending })
const map = (of: ContextName): Shape => ({ kind: 'map', of })
const entries = (of: Shape): Shape => ({ kind: 'entries', of })
const list = (of: Shape): Shape => ({ kind: 'list', of })
const oneOf = (...shapes: Shape[]): Shape => ({ kind: 'one of', shapes })
const steps = list({ kind: 'step' })
const checks = list(oneOf(sentence('Check'), map('check')))
const keeps = entries(sentence('Keep'))
const texts = entries(text)

const key = (about: string, shape: Shape, example = ''): Key => ({ about, shape, example, isNeeded: false })
const needed = (about: string, shape: Shape, example = ''): Key => ({ about, shape, example, isNeeded: true })

const name = key('what it is called in gates, tables and reports', text, 'search sailings')
const about = key('a sentence for readers', text)
const off = key('yes leaves it out: it stays in the file, and nothing of it is sent', yesNo, 'yes')
const onFailure = key('what a failed request means for its pass', words('go on', 'end pass'), 'end pass')
const timeout = key('a response must have come within this time; 30 s by default', sentence('DurationOnly'), '10s')
const check = key('what a response must satisfy; a failed check is counted and does not stop the run', checks, '- status is 200') // prettier-ignore
const keep = key('values taken out of the response for later steps, by name', keeps, 'sailing: json $.sailings[0].id')
const headers = key('headers of the request', texts, 'accept: application/json')
const withValues = key('values for the URL template alone', texts, '{ from: LARKHOLM }')

export const CONTEXTS: Readonly<Record<ContextName, Context>> = {
  plan: {
    about: 'a plan: journeys, load and gates',
    keys: {
      jolt: needed('the version of the format', words('1'), '1'),
      name: needed('the name of the plan', text, 'Summer timetable opens'),
      about,
      target: key('the target: the name of a file in targets/, or an origin', text, 'harbour'),
      seed: key('same seed: same arrivals, journeys, waits and picks', whole, '20260601'),
      values: key('values made anew for each pass', entries(oneOf(text, map('value'))), 'people: { whole: 1 to 4 }'),
      data: key('rows of files; each pass takes one', entries(map('data')), 'passenger: { file: passengers.csv }'),
      namespaces: key('prefixes that XPath expressions use', texts, 'soap: http://schemas.xmlsoap.org/soap/envelope/'),
      defaults: key('what every request has unless it says otherwise', map('defaults')),
      connections: key('whether users share connections', words('shared', 'per user'), 'per user'),
      setup: key('requests made once, before the load', steps, '- send: POST /sessions'),
      journeys: needed('what virtual users do, by name', entries(map('journey'))),
      teardown: key('requests made once after the load, also when the run was stopped', steps, '- send: DELETE /holds'),
      load: needed('how users come: phases in order', list(map('phase')), '- { phase: peak, rate: 40/s, for: 3m }'),
      spacing: key('arrivals evenly spaced, or at random (a Poisson process)', words('even', 'random'), 'random'),
      cap: key('the most users in flight; arrivals beyond it are turned away', sentence('UsersOnly'), '500 users'),
      drain: key('the time users have to finish after the last phase; 30 s by default', sentence('DurationOnly'), '30s'), // prettier-ignore
      mix: key('journeys by exact share, or drawn', words('exact', 'drawn'), 'drawn'),
      gates: key('limits that must hold', list(oneOf(sentence('Gate'), map('gate'))), '- failed requests at most 1 %'),
    },
  },
  defaults: { about: 'what every request has unless it says otherwise', keys: { headers, timeout, check, 'on failure': onFailure } }, // prettier-ignore
  journey: {
    about: 'a journey: what one virtual user does',
    keys: {
      share: key('how many of all arrivals it gets, beside the shares of the others', whole, '3'),
      steps: needed('its steps, in order', steps),
      load: key('a track of its own: phases beside the common load', list(map('phase'))),
      returning: key('yes: the same user comes back, with cookies and kept values', yesNo, 'yes'),
      'on failure': onFailure,
      off,
    },
  },
  send: {
    about: 'a request',
    keys: {
      send: needed('method and URL template (RFC 6570)', { kind: 'request' }, 'GET /sailings{?from,day}'),
      name,
      with: withValues,
      query: key('parameters added to the URL', texts, '{ page: 1 }'),
      headers,
      json: key('the body as JSON', json, '{ sailing: "{sailing}" }'),
      form: key('the body as form fields', texts),
      text: key('the body as text', text),
      xml: key('the body as XML', text),
      file: key('the body from a file of the repository', file('')),
      multipart: key('the body in parts: texts, and files of the repository', entries(oneOf(text, map('part')))),
      sign: key('how the request is signed', map('sign'), '{ bearer: "{token}" }'),
      check,
      keep,
      timeout,
      redirects: key('redirects followed; 5 by default, 0 shows the 3xx', whole, '0'),
      http: key('the version of HTTP', words('1', '2'), '2'),
      refresh: key('in setup: made anew so often while the load lasts', text, 'every 20m'),
      'on failure': onFailure,
      off,
    },
  },
  wait: { about: 'a pause, as a person thinks', keys: { wait: needed('how long', sentence('WaitOnly'), '1s to 3s'), off } }, // prettier-ignore
  group: {
    about: 'steps that are timed together as one',
    keys: { group: needed('its name', text, 'checkout'), steps: needed('its steps', steps), off },
  },
  together: { about: 'steps that are all due at once', keys: { together: needed('its steps', steps), off } },
  repeat: {
    about: 'steps done again',
    keys: { repeat: needed('how often, or until what', oneOf(whole, map('until')), '3'), steps: needed('its steps', steps), off }, // prettier-ignore
  },
  until: {
    about: 'until what steps are done again',
    keys: {
      until: needed('the check that ends it', oneOf(sentence('Check'), sentence('ValueCheck')), 'json $.state is "done"'), // prettier-ignore
      'at most': needed('rounds at most', whole, '20'),
    },
  },
  when: {
    about: 'steps done only when a check holds',
    keys: {
      when: needed('a check of the last response, or of a value', oneOf(sentence('Check'), sentence('ValueCheck')), 'status is 200'), // prettier-ignore
      steps: needed('what is done then', steps),
      else: key('what is done otherwise', steps),
      off,
    },
  },
  pick: { about: 'one of several ways', keys: { pick: needed('the ways', list(map('option'))), off } },
  option: { about: 'one of the ways', keys: { share: key('its share beside the others', whole, '1'), steps: needed('its steps', steps) } }, // prettier-ignore
  use: {
    about: 'shared steps',
    keys: { use: needed('their file', file('.steps.yaml'), 'steps/search.steps.yaml'), off },
  },
  call: {
    about: 'a function of a script, called in a sandbox',
    keys: {
      call: needed('script and function', text, 'scripts/fares.ts#choose'),
      name,
      with: key('its argument', entries(json)),
      keep,
      'on failure': onFailure,
      off,
    },
  },
  socket: {
    about: 'a WebSocket: opened, talked over, closed after its steps',
    keys: {
      socket: needed('GET and a URL template', { kind: 'request' }, 'GET /departures'),
      name,
      with: withValues,
      headers,
      steps: needed('what is said and awaited', list(oneOf(map('say'), map('await'), map('wait')))),
      timeout,
      'on failure': onFailure,
      off,
    },
  },
  say: { about: 'a message sent', keys: { say: needed('json or text', oneOf(text, map('message'))), name } },
  message: { about: 'the message', keys: { json: key('as JSON', json), text: key('as text', text) } },
  await: {
    about: 'a message waited for',
    keys: {
      await: needed('the check that it satisfies', sentence('Check'), 'json $.kind is "departed"'),
      within: key('how long to wait; 5 s by default', sentence('DurationOnly'), '5s'),
      name,
      keep,
    },
  },
  sql: {
    about: 'a statement to a database, in setup or teardown',
    keys: {
      sql: needed('the address of the database', text, '{secret.database}'),
      name,
      run: needed('the statement, with ? for each parameter', text, 'DELETE FROM holds WHERE run = ?'),
      with: key('its parameters', list(text)),
      timeout,
      off,
    },
  },
  check: {
    about: 'a check with a name of its own',
    keys: { that: needed('the check', sentence('Check'), 'status is 200'), called: key('its name', text) },
  },
  gate: {
    about: 'a gate that may stop the run',
    keys: {
      rule: needed('the limit', sentence('Gate'), 'failed requests at most 25 %'),
      stop: key('when a breach stops the run', sentence('StopOnly'), 'after 10s'),
    },
  },
  phase: {
    about: 'a phase of the load',
    keys: {
      phase: key('its name', text, 'peak'),
      rate: key('arrivals per second: constant, a ramp, or a ladder', sentence('RatesOnly'), '2/s to 40/s'),
      starts: key('so many arrivals, spread over the phase', whole, '300'),
      rest: key('nothing comes for so long', sentence('DurationOnly'), '10s'),
      users: key('so many users at once, each coming again', sentence('UsersRange'), '50'),
      passes: key('passes of each user, who then leaves', whole, '20'),
      for: key('how long', sentence('DurationOnly'), '3m'),
      spread: key('the time over which the first users start', sentence('DurationOnly'), '10s'),
      measure: key('no marks a warm-up', yesNo, 'no'),
      spacing: key('arrivals evenly spaced, or at random', words('even', 'random'), 'random'),
      cap: key('the most users in flight', sentence('UsersOnly'), '500 users'),
    },
  },
  data: {
    about: 'rows of a file',
    keys: {
      file: needed('CSV with a header row, or JSON Lines', file('.csv'), 'data/passengers.csv'),
      take: key('which row a pass takes', words('in turn', 'at random', 'once each'), 'in turn'),
      then: key('what comes when the rows have run out', words('again', 'stop'), 'again'),
    },
  },
  value: {
    about: 'a value that is made',
    keys: {
      whole: key('a whole number within a range', sentence('WholeRange'), '1 to 4'),
      decimal: key('a number with places', sentence('DecimalRange'), '0 to 1 places 2'),
      pick: key('one of several', list(text), '[adult, child, senior]'),
      weights: key('how likely each is, beside the others', list(whole), '[6, 3, 1]'),
      list: key('each of several in turn', list(text), '[red, green]'),
      take: key('in turn, or at random', words('in turn', 'at random'), 'in turn'),
      date: key('a date, by days from today', sentence('DateOffset'), 'today + 14 days'),
      format: key('how the date is written', text, 'yyyy-MM-dd'),
      zone: key('the time zone of the date', text, 'Europe/Oslo'),
      uuid: key('a UUID (RFC 9562)', words('v4', 'v7'), 'v4'),
      pattern: key('text by a pattern: # is a digit, @ a letter', text, 'LH-######'),
      text: key('letters, so many', whole, '20'),
      normal: key('a number by the normal law', sentence('NormalSpread'), '50 sd 10'),
      per: key('how long a value lasts', words('use', 'pass', 'user', 'run'), 'user'),
    },
  },
  sign: {
    about: 'how a request is signed',
    keys: {
      basic: key('user and password (RFC 7617)', list(text), '["{secret.user}", "{secret.password}"]'),
      bearer: key('a token (RFC 6750)', text, '{token}'),
    },
  },
  part: { about: 'a file as a part of the body', keys: { file: needed('its path', file('')), type: key('its media type', text, 'image/png') } }, // prettier-ignore
  target: {
    about: 'a target: the system under test',
    keys: {
      origin: needed('where it answers', text, 'http://127.0.0.1:7710'),
      about,
      also: key('further origins that may be reached', list(text)),
      values: key('values that differ from target to target', texts),
      headers: key('headers of every request to it', texts),
      secrets: key('names of secrets; their values stand elsewhere', list(text), '- password'),
      probes: key('readings from the target’s side, each second', entries(map('probe'))),
      permission: key('who permits the load, how much of it, and when', map('permission')),
      tls: key('certificates', map('tls')),
      proxy: key('an HTTP proxy on the way', text, 'http://127.0.0.1:3128'),
      network: key('from which local address requests are sent', map('network')),
    },
  },
  probe: {
    about: 'a reading over OpenMetrics text',
    keys: {
      url: needed('the page of metrics', text, '/metrics'),
      family: needed('the metric family', text, 'berths_busy'),
      labels: key('labels that a sample must have', texts),
      as: key('value, rate, or ratio of another family', text, 'rate'),
      unit: key('the unit of the reading', text, 'places'),
      ceiling: key('the most there can be', text, '20'),
    },
  },
  permission: {
    about: 'the permission to load a target that is not on loopback',
    keys: {
      by: needed('who gives it', text, 'Ida Quay, head of booking'),
      rate: key('the highest rate', sentence('RateOnly'), '50/s'),
      hours: key('days and hours (UTC)', text, 'Mon to Fri 06:00 to 18:00'),
      until: key('the last day', text, '2026-12-31'),
    },
  },
  tls: {
    about: 'certificates as PEM files of the repository',
    keys: {
      ca: key('whom to trust', file('.pem')),
      cert: key('who we are', file('.pem')),
      key: key('the key to it', file('.pem')),
      verify: key('no trusts any certificate', yesNo, 'no'),
    },
  },
  network: { about: 'where requests come from', keys: { from: needed('a local address', text, '127.0.0.2') } },
}

/** The contexts that are steps of a journey. */
export const STEP_CONTEXTS = ['send', 'wait', 'group', 'together', 'repeat', 'when', 'pick', 'use', 'call', 'socket', 'sql'] as const satisfies readonly ContextName[] // prettier-ignore

/** Names of the keys that a map may have. */
export const keysOf = (context: ContextName): string[] => Object.keys(CONTEXTS[context].keys)
