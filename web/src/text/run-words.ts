// How a run is called wherever it is listed: by its verdict, or by what it does just now.
import { verdictWords, type Verdict } from '@jolt-gate/core'
import type { RunState } from '../api/types.js'

const STATES: Readonly<Record<RunState, string>> = {
  waiting: 'Queued',
  setup: 'Setup',
  load: 'Running',
  teardown: 'Teardown',
  ended: 'Ended',
}

export const runWords = ({ verdict, state }: { verdict: Verdict | null; state: RunState }): string =>
  state === 'ended' && verdict !== null ? verdictWords(verdict) : STATES[state]
