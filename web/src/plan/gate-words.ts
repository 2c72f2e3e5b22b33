// A gate's sentence cut into words by the places of its parts, so that some of them can be picked.
import type { Gate, Span } from '@jolt-gate/core'

export interface GateWord {
  text: string
  /** What a word stands for; plain words only hold the sentence together. */
  kind: 'plain' | 'measure' | 'name' | 'journey' | 'phase' | 'comparison' | 'limit'
}

/** Cuts a gate; joined again, the words are its sentence. */
export function wordsOfGate({ written, spans }: Pick<Gate, 'written' | 'spans'>): GateWord[] {
  const parts: { kind: GateWord['kind']; span: Span }[] = [
    { kind: 'measure', span: [spans.statistic?.[0] ?? spans.measure[0], spans.measure[1]] },
    ...spans.of.map((span) => ({ kind: 'name' as const, span })),
    ...(spans.journey === undefined ? [] : [{ kind: 'journey' as const, span: spans.journey }]),
    ...spans.during.map((span) => ({ kind: 'phase' as const, span })),
    { kind: 'comparison', span: spans.comparison },
    { kind: 'limit', span: spans.limit },
  ]
  const words: GateWord[] = []
  let reached = 0
  for (const { kind, span } of parts) {
    const [from, to] = span
    words.push({ kind: 'plain', text: written.slice(reached, from) }, { kind, text: written.slice(from, to) })
    reached = to
  }
  words.push({ kind: 'plain', text: written.slice(reached) })
  return words.filter((word) => word.text !== '')
}
