// The format as data: every key, what may stand under it, and what it means. Readers, the published JSON Schema,
// completion, hover help and the form all take it from here.
import {
  about,
  checks,
  entries,
  file,
  json,
  keeps,
  key,
  list,
  map,
  needed,
  oneOf,
  sentence,
  steps,
  text,
  texts,
  whole,
  words,
  yesNo,
  type Context,
  type ContextName,
} from './vocabulary-kinds.js'
import { PIPELINE_CONTEXTS } from './pipeline-words.js'
import { TARGET_CONTEXTS } from './target-words.js'

export type { Context, ContextName, Key, Shape } from './vocabulary-kinds.js'

const mayBeSkipped = key('yes: a run is not void where no iteration reached this step', yesNo, 'yes')
const name = key('name in gates, tables and reports', text, 'search sailings')
const off = key('yes: stays in the file, but is not sent', yesNo, 'yes')
const onFailure = key('what happens after a failed request', words('continue', 'end iteration'), 'end iteration')
const timeout = key('longest time to the last byte of the response; default 30 s', sentence('DurationOnly'), '10s')
const check = key('what the response must satisfy; failed checks are counted', checks, '- status is 200')
const keep = key('values of the response for later steps, by name', keeps, 'sailing: json $.sailings[0].id')
const headers = key('headers of the request', texts, 'accept: application/json')
const withValues = key('values for the URL template only', texts, '{ from: LARKHOLM }')

export const CONTEXTS: Readonly<Record<ContextName, Context>> = {
  plan: {
    about: 'a plan: journeys, load and gates',
    keys: {
      jolt: needed('the version of the format', words('1'), '1'),
      name: needed('name of the plan', text, 'Summer timetable opens'),
      about,
      target: key('the target: the name of a file in targets/, or an origin', text, 'harbour'),
      places: key(
        'where generators stand that make the load, each with its share of it; needs a fleet',
        entries(whole),
        '{ north: 3, south: 1 }',
      ),
      networks: key(
        'what users come over: each user has one, by weight, and connections of its own',
        list(map('network')),
        '- { network: harbour cell, delay: 75ms, down: 1.6 Mbit/s }',
      ),
      'on loss': key(
        'when a generator is lost: the run is void, or the others continue at less',
        words('void', 'continue at less'),
        'continue at less',
      ),
      seed: key('same seed: same arrivals, journeys, waits and picks', whole, '20260601'),
      satisfied: key('a response up to this satisfies (T of Apdex); for the impact of a run', text, '300ms'),
      strict: key('yes: what leaves a doubt, and decides no gate, makes the run void', yesNo, 'yes'),
      trace: key(
        'requests carry a trace (W3C): failed, a share that the target is asked to keep, or no',
        sentence('TraceOnly'),
        '1 %',
      ),
      values: key(
        'values made anew for each iteration',
        entries(oneOf(text, map('value'))),
        'people: { whole: 1 to 4 }',
      ),
      data: key('rows of files; each iteration takes one', entries(map('data')), 'passenger: { file: passengers.csv }'),
      namespaces: key('prefixes that XPath expressions use', texts, 'soap: http://schemas.xmlsoap.org/soap/envelope/'),
      defaults: key('defaults for every request', map('defaults')),
      connections: key('connections shared by all users, or per user', words('shared', 'per user'), 'per user'),
      setup: key('requests made once, before the load', steps, '- send: POST /sessions'),
      journeys: needed('what virtual users do, by name', entries(map('journey'))),
      teardown: key('requests made once after the load, also when the run was stopped', steps, '- send: DELETE /holds'),
      load: needed('phases of the load, in order', list(map('phase')), '- { phase: peak, rate: 40/s, for: 3m }'),
      spacing: key('even, or random (a Poisson process)', words('even', 'random'), 'random'),
      cap: key('the most users in flight; arrivals beyond it are capped', sentence('UsersOnly'), '500 users'),
      drain: key('time to finish after the last phase; default 30 s', sentence('DurationOnly'), '30s'),
      mix: key('journeys in exact proportion to their weights, or drawn', words('exact', 'drawn'), 'drawn'),
      gates: key('limits that must hold', list(oneOf(sentence('Gate'), map('gate'))), '- failed requests at most 1 %'),
    },
  },
  network: {
    about: 'a network that users come over',
    keys: {
      network: needed('its name, in gates and tables', text, 'harbour cell'),
      weight: key('share of the users, relative to the weights of the others; default 1', whole, '3'),
      delay: key('how much longer a response takes, there and back', sentence('DurationOnly'), '75ms'),
      jitter: key('by how much the delay varies, to either side', sentence('DurationOnly'), '10ms'),
      down: key('bits a second to the user', sentence('BitsOnly'), '1.6 Mbit/s'),
      up: key('bits a second from the user', sentence('BitsOnly'), '750 kbit/s'),
    },
  },
  defaults: { about: 'defaults for every request', keys: { headers, timeout, check, 'on failure': onFailure } },
  journey: {
    about: 'a journey: what one virtual user does',
    keys: {
      weight: key('share of the arrivals, relative to the weights of the others', whole, '3'),
      steps: needed('its steps, in order', steps),
      load: key('its own load, beside the common one', list(map('phase'))),
      returning: key('yes: the same user returns, with its cookies and kept values', yesNo, 'yes'),
      pacing: key(
        'with users: an iteration begins at least so long after the one before began',
        sentence('DurationOnly'),
        '10s',
      ),
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
      auth: key('credentials of the request', map('auth'), '{ bearer: "{token}" }'),
      check,
      keep,
      timeout,
      redirects: key('redirects to follow; default 5, 0 shows the 3xx', whole, '0'),
      http: key('the version of HTTP', words('1', '2'), '2'),
      refresh: key('in setup: repeat the request at this interval during the load', text, 'every 20m'),
      'on failure': onFailure,
      'may be skipped': mayBeSkipped,
      off,
    },
  },
  wait: { about: 'think time', keys: { wait: needed('how long', sentence('WaitOnly'), '1s to 3s'), off } },
  group: {
    about: 'steps that are timed together as one',
    keys: { group: needed('its name', text, 'checkout'), steps: needed('its steps', steps), off },
  },
  parallel: { about: 'steps that are all due at once', keys: { parallel: needed('its steps', steps), off } },
  repeat: {
    about: 'repeated steps',
    keys: {
      repeat: needed('how often, or until which check holds', oneOf(whole, map('until')), '3'),
      steps: needed('its steps', steps),
      off,
    },
  },
  until: {
    about: 'condition that ends the repeat',
    keys: {
      until: needed(
        'check that ends the repeat, or load ends',
        oneOf(sentence('Check'), sentence('ValueCheck'), sentence('UntilOnly')),
        'json $.state is "done"',
      ),
      'at most': key('most repeats; it fails when the check has not come true by then', whole, '20'),
      then: key(
        'continue: the iteration does not fail when the check has not come true',
        words('continue'),
        'continue',
      ),
    },
  },
  when: {
    about: 'steps under a condition',
    keys: {
      when: needed(
        'a check of the last response, or of a value',
        oneOf(sentence('Check'), sentence('ValueCheck')),
        'status is 200',
      ),
      steps: needed('steps when it holds', steps),
      else: key('steps when it does not hold', steps),
      off,
    },
  },
  pick: {
    about: 'one of several branches, by weight',
    keys: { pick: needed('the branches', list(map('option'))), off },
  },
  option: {
    about: 'a branch',
    keys: { weight: key('weight relative to the other branches', whole, '1'), steps: needed('its steps', steps) },
  },
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
      'may be skipped': mayBeSkipped,
      off,
    },
  },
  socket: {
    about: 'a WebSocket: opened, used, closed after its steps',
    keys: {
      socket: needed('GET and a URL template', { kind: 'request' }, 'GET /departures'),
      name,
      with: withValues,
      headers,
      steps: needed('messages to send and to wait for', list(oneOf(map('say'), map('await'), map('wait')))),
      timeout,
      'on failure': onFailure,
      'may be skipped': mayBeSkipped,
      off,
    },
  },
  stream: {
    about: 'server-sent events: a stream that is opened again where it is lost',
    keys: {
      stream: needed('GET and a URL template', { kind: 'request' }, 'GET /departures'),
      name,
      with: withValues,
      headers,
      steps: key('events to wait for', list(oneOf(map('event'), map('wait')))),
      for: key('how long it stays open, where its steps are done before', sentence('DurationOnly'), '30s'),
      timeout,
      'on failure': onFailure,
      'may be skipped': mayBeSkipped,
      off,
    },
  },
  event: {
    about: 'an event to wait for',
    keys: {
      await: needed('check that the event must satisfy', sentence('Check'), 'json $.kind is "departed"'),
      within: key('longest wait; default 5 s', sentence('DurationOnly'), '5s'),
      'sent at': key('where the event says when it was sent: it is timed from then', sentence('Keep'), 'json $.at'),
      name,
      keep,
    },
  },
  grpc: {
    about: 'a remote call (gRPC), by the file of its service',
    keys: {
      grpc: needed('package.Service/Method', text, 'ferries.Board/Next'),
      name,
      proto: needed('the .proto file, from the root of the repository', file('.proto'), 'proto/board.proto'),
      message: key('its message, in the names of JSON; a list where the client streams', json, '{ from: LARKHOLM }'),
      metadata: key('metadata of the call', texts, 'x-deck: lower'),
      check,
      keep,
      timeout: key('its deadline; default 30 s', sentence('DurationOnly'), '5s'),
      'on failure': onFailure,
      'may be skipped': mayBeSkipped,
      off,
    },
  },
  say: { about: 'a message to send', keys: { say: needed('json or text', oneOf(text, map('message'))), name } },
  message: { about: 'the message', keys: { json: key('as JSON', json), text: key('as text', text) } },
  await: {
    about: 'a message to wait for',
    keys: {
      await: needed('check that the message must satisfy', sentence('Check'), 'json $.kind is "departed"'),
      within: key('longest wait; default 5 s', sentence('DurationOnly'), '5s'),
      name,
      keep,
    },
  },
  sql: {
    about: 'a statement to a database, in setup or teardown',
    keys: {
      sql: needed('database URL', text, '{secret.database}'),
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
    about: 'a gate with a stop rule',
    keys: {
      rule: needed('the limit', sentence('Gate'), 'failed requests at most 25 %'),
      stop: key('when a breach stops the run', sentence('StopOnly'), 'after 10 breached seconds in a row'),
    },
  },
  phase: {
    about: 'a phase of the load',
    keys: {
      phase: key('its name', text, 'peak'),
      rate: key('arrivals per second: constant, a ramp, or a ladder', sentence('RatesOnly'), '2/s to 40/s'),
      starts: key('number of arrivals, spread over the phase', whole, '300'),
      rest: key('no arrivals for this long', sentence('DurationOnly'), '10s'),
      users: key('concurrent users', sentence('UsersRange'), '50'),
      iterations: key('iterations per user', whole, '20'),
      for: key('how long', sentence('DurationOnly'), '3m'),
      spread: key('time over which the first users start', sentence('DurationOnly'), '10s'),
      measure: key('no: a warm-up', yesNo, 'no'),
      spacing: key('even or random arrivals', words('even', 'random'), 'random'),
      cap: key('the most users in flight', sentence('UsersOnly'), '500 users'),
    },
  },
  data: {
    about: 'rows of a file',
    keys: {
      file: needed('CSV with a header row, or JSON Lines', file('.csv'), 'data/passengers.csv'),
      take: key('which row an iteration takes', words('in turn', 'at random', 'once each'), 'in turn'),
      then: key('what happens when the rows run out', words('again', 'stop'), 'again'),
    },
  },
  value: {
    about: 'a generated value',
    keys: {
      whole: key('a whole number in a range', sentence('WholeRange'), '1 to 4'),
      decimal: key('a decimal number in a range', sentence('DecimalRange'), '0 to 1 places 2'),
      pick: key(
        'one of several: a list, or a map of weights',
        oneOf(list(text), entries(whole)),
        '[adult, child, senior]',
      ),
      list: key('each of several in turn', list(text), '[red, green]'),
      take: key('in turn, or at random', words('in turn', 'at random'), 'in turn'),
      date: key('a date, by days from today', sentence('DateOffset'), 'today + 14 days'),
      format: key('how the date is written', text, 'yyyy-MM-dd'),
      zone: key('the time zone of the date', text, 'Europe/Oslo'),
      uuid: key('a UUID (RFC 9562)', words('v4', 'v7'), 'v4'),
      pattern: key('text that matches a pattern (I-Regexp, RFC 9485)', text, 'LKM-[0-9]{6}'),
      text: key('random letters, this many', whole, '20'),
      normal: key('a normally distributed number', sentence('NormalSpread'), '50 sd 10'),
      lasts: key('how long a value is kept', words('use', 'iteration', 'user', 'run'), 'user'),
    },
  },
  auth: {
    about: 'credentials of a request',
    keys: {
      basic: key('user and password (RFC 7617)', list(text), '["{secret.user}", "{secret.password}"]'),
      bearer: key('a token (RFC 6750)', text, '{token}'),
    },
  },
  part: {
    about: 'a file as a part of the body',
    keys: { file: needed('its path', file('')), type: key('its media type', text, 'image/png') },
  },
  ...TARGET_CONTEXTS,
  ...PIPELINE_CONTEXTS,
}

const LATER = 'not supported by this version yet; remove it'
/** Keys that the format knows and this version does not build yet. */
export const UNBUILT_KEYS: Partial<Record<ContextName, Readonly<Record<string, string>>>> = {
  journey: { browser: LATER },
}
/** Step kinds that the format knows and this version does not build yet. */
export const UNBUILT_STEPS: readonly string[] = ['open', 'click', 'enter', 'choose', 'key']

/** The contexts that are steps of a journey. */
export const STEP_CONTEXTS = [
  'send',
  'wait',
  'group',
  'parallel',
  'repeat',
  'when',
  'pick',
  'use',
  'call',
  'socket',
  'stream',
  'grpc',
  'sql',
] as const satisfies readonly ContextName[]

/** Names of the keys that a map may have. */
export const keysOf = (context: ContextName): string[] => Object.keys(CONTEXTS[context].keys)
