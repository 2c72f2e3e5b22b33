// The events of a run as the server sends them.
import { parseJson, TURN_KINDS, turnOf, type RunTurn } from '@jolt-gate/core'
import { RUN_PARTS, type RunPart } from '@jolt-gate/core/api'

export interface RunListener {
  onConnected: (isConnected: boolean) => void
  /** A second, as base64. */
  onBucket: (data: string) => void
  onEvent: (event: RunTurn | { kind: 'end' }) => void
  onPart: (part: RunPart) => void
  /** Something else of the run has changed, or it has ended. */
  onChanged: () => void
}

/** Listens to a run. The browser connects again by itself, and resumes after the last second it heard. */
export function openRunStream(url: string, listener: RunListener): EventSource {
  const stream = new EventSource(url)
  stream.onopen = () => {
    listener.onConnected(true)
  }
  stream.onerror = () => {
    listener.onConnected(false)
  }
  stream.addEventListener('bucket', ({ data }: MessageEvent<string>) => {
    const bytes = parseJson(data)
    if (typeof bytes === 'string') listener.onBucket(bytes)
  })
  for (const kind of TURN_KINDS)
    stream.addEventListener(kind, ({ data }: MessageEvent<string>) => {
      const event = turnOf(parseJson(data))
      if (event !== undefined) listener.onEvent(event)
    })
  stream.addEventListener('part', ({ data }: MessageEvent<string>) => {
    const next = partOf(data)
    if (next !== undefined) listener.onPart(next)
  })
  stream.addEventListener('changed', () => {
    listener.onChanged()
  })
  stream.addEventListener('end', () => {
    listener.onEvent({ kind: 'end' })
    stream.close()
    listener.onConnected(true)
    listener.onChanged()
  })
  return stream
}

function partOf(data: string): RunPart | undefined {
  const told = parseJson(data)
  if (typeof told !== 'object' || told === null || !('part' in told)) return undefined
  return RUN_PARTS.find((one) => one === told['part'])
}
