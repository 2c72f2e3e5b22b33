// A gate's sentence cut into words, so that some of them can be picked.

import { writtenLimit } from '@jolt-gate/core'

export interface GateWord {
  text: string
  /** What a word stands for; plain words only hold the sentence together. */
  kind: 'plain' | 'measure' | 'name' | 'limit'
}

const MEASURE =
  /^(?:(?:mean|median|min|max|sd|p[\d.]+) )?(?:response time|time to first byte|connect time|group time|journey time|failed requests|failed checks|failed journeys|turned away|cut off|requests|arrivals|journeys|throughput|arrival rate|bytes received|bytes sent|apdex at \d+ ?m?s|start lag|generator busy|event loop delay|metric "[^"]*")/

/** Cuts a sentence; joined again, the words are the sentence. */
export function wordsOfGate(rule: string): GateWord[] {
  const measure = MEASURE.exec(rule)?.[0] ?? ''
  const limit = writtenLimit(rule)
  const middle = rule.slice(measure.length, rule.length - limit.length)
  const words = middle
    .split(/("(?:[^"\\]|\\.)*"|(?<=during )[\w-]+)/)
    .map((text): GateWord => ({ text, kind: text.startsWith('"') || /^[\w-]+$/.test(text) ? 'name' : 'plain' }))
  const all: GateWord[] = [{ text: measure, kind: 'measure' }, ...words, { text: limit, kind: 'limit' }]
  return all.filter((word) => word.text !== '')
}
