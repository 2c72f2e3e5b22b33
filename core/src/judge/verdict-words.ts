// The verdicts, and how they are called.

export type Verdict = 'open' | 'shut' | 'void' | 'stopped'

const VERDICT_WORDS: Readonly<Record<Verdict, string>> = {
  open: 'Open (passed)',
  shut: 'Shut (failed)',
  void: 'Void (inconclusive)',
  stopped: 'Stopped',
}
/** A verdict for people: our word, and the trade's beside it. */
export const verdictWords = (verdict: Verdict): string => VERDICT_WORDS[verdict]
