// The keys of a target file.
import {
  about,
  entries,
  file,
  key,
  list,
  map,
  needed,
  sentence,
  text,
  texts,
  yesNo,
  type Context,
} from './vocabulary-kinds.js'

export const TARGET_CONTEXTS = {
  target: {
    about: 'a target: the system under test',
    keys: {
      origin: needed('origin of the service', text, 'http://127.0.0.1:7710'),
      about,
      also: key('more origins that may be reached', list(text)),
      values: key('values that differ from target to target', texts),
      headers: key('headers of every request to it', texts),
      secrets: key('names of secrets; values come from the store or the environment', list(text), '- password'),
      metrics: key('metrics of the target, read every second', entries(map('metric'))),
      permission: key('who permits the load, how much and when', map('permission')),
      traces: key('where a person opens a trace', text, 'https://traces.example/{trace}'),
      tls: key('certificates', map('tls')),
      proxy: key('HTTP proxy', text, 'http://127.0.0.1:3128'),
      'local address': key('the address of this machine from which requests are sent', text, '127.0.0.2'),
    },
  },
  metric: {
    about: 'a metric from an OpenMetrics endpoint',
    keys: {
      url: needed('URL of the metrics', text, '/metrics'),
      family: needed('the metric family', text, 'berths_busy'),
      labels: key('labels that a sample must have', texts),
      as: key('value, rate, or ratio of another family', text, 'rate'),
      unit: key('unit of the metric', text, 'places'),
      ceiling: key('largest possible value', text, '20'),
    },
  },
  permission: {
    about: 'the permission to load a target that is not on loopback',
    keys: {
      by: needed('who gives it', text, 'Ida Quay, head of booking'),
      rate: needed('the highest rate of arrivals and requests', sentence('RateOnly'), '50/s'),
      hours: key('days and hours (UTC)', text, 'Mon to Fri 06:00 to 18:00'),
      until: needed('the last day', text, '2026-12-31'),
    },
  },
  tls: {
    about: 'certificates as PEM files of the repository',
    keys: {
      ca: key('trusted authorities', file('.pem')),
      cert: key('client certificate', file('.pem')),
      key: key('key of the client certificate', file('.pem')),
      verify: key('no: accept any certificate', yesNo, 'no'),
    },
  },
} satisfies Record<string, Context>
