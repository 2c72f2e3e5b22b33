// Keys that people write before they know ours, with the key that says the same here: for errors alone.

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
