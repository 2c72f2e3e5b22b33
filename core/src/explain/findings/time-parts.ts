// Connecting or receiving that takes an unusual part of a step's time.
import type { Evidence } from '../evidence.js'
import { figure, shareWords, timeWords, type Finding } from '../finding.js'

const LEAST_REQUESTS = 50
/** Parts of all response time of a step from which they are unusual (common practice, no source). */
const CONNECTING = 0.25
const RECEIVING = 0.5
const LEAST_MS = 2

/** Where the time goes: the parts of the mean response time. */
export function whereTheTimeGoes({ steps, shape }: Evidence): Finding[] {
  return steps.flatMap((step): Finding[] => {
    if (step.times.count < LEAST_REQUESTS) return []
    const whole = step.times.mean / 1000
    const connecting = (step.connects.mean * step.connects.count) / 1000 / step.times.count || 0
    const receiving = step.firstBytes.count === 0 ? 0 : whole - step.firstBytes.mean / 1000
    const part = [
      { name: 'connecting', ms: connecting, isUnusual: connecting > CONNECTING * whole },
      { name: 'receiving', ms: receiving, isUnusual: receiving > RECEIVING * whole },
    ].find(({ ms, isUnusual }) => isUnusual && ms >= LEAST_MS)
    if (part === undefined) return []
    const share = part.ms / whole
    return [
      {
        kind: 'where the time goes',
        severity: 'info',
        confidence: 1,
        phases: shape.phases.filter(({ measured }) => measured).map(({ name }) => name),
        steps: [step.name],
        fromMs: 0,
        toMs: 1000 * shape.phases.reduce((sum, { seconds, track }) => sum + (track === null ? seconds : 0), 0),
        evidence: {
          part: part.name,
          meanMs: figure(part.ms),
          ofMeanResponseTimeMs: figure(whole),
          share: figure(share),
        },
        text:
          part.name === 'connecting'
            ? `"${step.name}" spends ${shareWords(share)} of its time on connecting: ${timeWords(part.ms)} of ${timeWords(whole)} on average, TLS and DNS included.`
            : `"${step.name}" spends ${shareWords(share)} of its time on receiving: ${timeWords(part.ms)} of ${timeWords(whole)} on average come after the first byte.`,
        tryNext:
          part.name === 'connecting'
            ? [
                'Do real users keep their connections? If so, use connections: shared.',
                'Does the service close connections early? Look at its keep-alive time.',
              ]
            : [
                'Is the answer large, or made bit by bit? Look at its size in the table of steps.',
                'Compress it, or send less of it.',
              ],
      },
    ]
  })
}
