// How a run is called wherever it is listed: by its verdict, or by what it does just now.
import { verdictWords, type Verdict } from '@jolt-gate/core'
import type { RunPart, RunState } from '@jolt-gate/core/api'

const STATES: Readonly<Record<RunState, string>> = { queued: 'Queued', running: 'Running', ended: 'Ended' }

interface StateOfRun {
  verdict: Verdict | null
  state: RunState
  part?: RunPart | null
}

export const runWords = ({ verdict, state, part = null }: StateOfRun): string =>
  state === 'ended' && verdict !== null
    ? verdictWords(verdict)
    : state === 'running' && (part === 'setup' || part === 'teardown')
      ? `Running: ${part}`
      : STATES[state]
