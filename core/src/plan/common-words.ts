// Words of the trade that people write before they know ours, with what says the same here: for errors alone.
import { readSentence } from '../language/sentences.js'

/** In any map: the key that is meant, or how it is said. */
const KEYS: Readonly<Record<string, string>> = {
  threshold: 'gates',
  limits: 'gates',
  criteria: 'gates',
  slo: 'gates',
  scenario: 'journeys',
  flows: 'journeys',
  variables: 'values',
  parameters: 'values',
  duration: 'for',
  length: 'for',
  concurrency: 'users',
  'concurrent users': 'users',
  'arrival rate': 'rate',
  'ramp up': 'rate',
  ramp: 'rate',
  request: 'send',
  url: 'send',
  sleep: 'wait',
  pause: 'wait',
  'think time': 'wait',
  assert: 'check',
  assertions: 'check',
  expect: 'check',
  extract: 'keep',
  capture: 'keep',
  loop: 'repeat',
  if: 'when',
}
/** Keys of which the name alone does not say how they are written here. */
const EXAMPLES: Readonly<Record<string, string>> = {
  ramp: 'rate: 2/s to 40/s',
  'ramp up': 'rate: 2/s to 40/s',
}

/** What a key of general use is called here; undefined when it is no such word, or ours is not known in the place. */
export function ourKey(written: string, known: readonly string[]): { word: string; example?: string } | undefined {
  const plain = written.toLowerCase().replaceAll(/[_-]/g, ' ')
  const word = KEYS[plain] ?? KEYS[plain.replace(/s$/, '')] ?? KEYS[`${plain}s`]
  if (word === undefined || !known.includes(word)) return undefined
  const example = EXAMPLES[plain]
  return example === undefined ? { word } : { word, example }
}

/** Words of a sentence about gates, with ours; in this order. */
const GATE_WORDS: readonly [RegExp, string][] = [
  [/\s*<=\s*/g, ' at most '],
  [/\s*>=\s*/g, ' at least '],
  [/\s*<\s*/g, ' under '],
  [/\s*>\s*/g, ' over '],
  [/\b(?:less than|below|lower than)\b/gi, 'under'],
  [/\b(?:more than|above|greater than)\b/gi, 'over'],
  [/\b(?:error rate|errors|failure rate|failures)\b/gi, 'failed requests'],
  [/\b(?:latency|response[_ ]times?|duration)\b/gi, 'response time'],
  [/\b(?:average|avg)\b/gi, 'mean'],
  [/\b(?:rps|requests per second|requests\/s)\b/gi, 'throughput'],
  [/\bp\(([\d.]+)\)/gi, 'p$1'],
  [/\b([\d.]+)(?:st|nd|rd|th) percentile(?: of)?\b/gi, 'p$1'],
]
const TIME_WITHOUT_MEASURE = /^(p[\d.]+|mean|median|min|max|sd)\s+(?=under|over|at most|at least)/
const NUMBER_AT_END = /(\s)(\d+(?:\.\d+)?)$/

/** A gate as this format writes it, for one in words of general use; undefined when that makes no gate either. */
export function ourGate(written: string): string | undefined {
  let text = written.trim()
  for (const [word, ours] of GATE_WORDS) text = text.replaceAll(word, ours)
  text = text.replaceAll(/\s+/g, ' ').replace(TIME_WITHOUT_MEASURE, '$1 response time ')
  const unit = text.includes('throughput') ? '/s' : text.includes('time') ? ' ms' : ''
  // A bare number is no time and no rate: its unit comes first.
  const candidates = [text.replace(NUMBER_AT_END, `$1$2${unit}`), text]
  return candidates.find((candidate) => candidate !== written && readSentence('Gate', candidate).ok)
}
