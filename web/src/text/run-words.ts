// How a run is called wherever it is listed: by its verdict, or by what it does just now.
import { verdictWords, type Verdict } from '@jolt-gate/core'
import type { StoredState } from '@jolt-gate/core/api'

const STATES: Readonly<Record<StoredState, string>> = {
  waiting: 'Queued',
  setup: 'Setup',
  load: 'Running',
  teardown: 'Teardown',
  ended: 'Ended',
}

export const runWords = ({ verdict, state }: { verdict: Verdict | null; state: StoredState }): string =>
  state === 'ended' && verdict !== null ? verdictWords(verdict) : STATES[state]
