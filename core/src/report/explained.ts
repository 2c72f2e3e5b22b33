// Findings and impact in words, one way for all reports and pages.
import { causeWords, FINDING_KINDS, SEVERITIES, timeWords, type FindingKind } from '../explain/finding.js'
import type { RunResult } from '../judge/result-schema.js'

export type ResultFinding = NonNullable<RunResult['findings']>[number]
export type ResultImpact = NonNullable<RunResult['impact']>

/** A finding with its severity and its heading in words. */
export interface FindingWords extends ResultFinding {
  severityWords: string
  title: string
}

const SEVERITY_WORDS = { problem: 'Problem', warning: 'Warning', info: 'Info' } as const

type Figures = Readonly<Record<string, number | string>>
const said = (figures: Figures, name: string): string => String(figures[name] ?? '')
const TITLES: Readonly<Record<FindingKind, (evidence: Figures, steps: readonly string[]) => string>> = {
  saturation: (of) => `Saturated at about ${said(of, 'arrivalsPerSecond')} arrivals/s`,
  'first to fill': (of) => `${said(of, 'metric')} filled up first`,
  queueing: () => 'A queue grew',
  failures: (of) => `${said(of, 'count')} failures: ${causeWords(said(of, 'kind'), said(of, 'detail'))}`,
  'only under concurrency': (_, steps) => `${steps.join(', ')} fails under concurrency only`,
  'cold start': () => 'Cold start',
  'periodic spikes': (of) => `Spikes every ${said(of, 'periodSeconds')} s`,
  drift: (of) => (of['metric'] === undefined ? 'Response times drift upwards' : `${said(of, 'metric')} drifts upwards`),
  'two groups of times': (_, steps) => `Two groups of times in ${steps.join(', ')}`,
  'where the time goes': (of, steps) => `${steps.join(', ')} spends its time on ${said(of, 'part')}`,
  'slow recovery': () => 'Slow recovery',
  'one place': ({ place = '' }) => `Worse from "${String(place)}"`,
  'one network': ({ network = '' }) => `More failures over "${String(network)}"`,
  'loose gate': (of) => (of['gates'] === 1 ? 'A gate that is loose' : `${said(of, 'gates')} gates that are loose`),
  'tight gate': () => 'Gate too close to normal values',
  generator: () => 'Generator fell behind or ran out of resources',
}

/** The findings in the order in which they are read. */
export function findingsOf({ findings = [] }: { findings?: readonly ResultFinding[] | undefined }): FindingWords[] {
  return SEVERITIES.flatMap((severity) =>
    findings.filter((finding) => finding.severity === severity).map((finding) => wordsOf(finding)),
  )
}

function wordsOf(finding: ResultFinding): FindingWords {
  const kind = FINDING_KINDS.find((one) => one === finding.kind)
  const title = kind === undefined ? finding.kind : TITLES[kind](figuresOf(finding.evidence), finding.steps)
  return { ...finding, severityWords: SEVERITY_WORDS[finding.severity], title }
}

/** The impact in one line; undefined where there is no grade. */
export function impactWords({ impact }: { impact?: ResultImpact | undefined }): string | undefined {
  if (impact?.grade === undefined || impact.grade === null) return undefined
  const apdex = impact.lowestApdex === null ? '' : `, lowest Apdex ${impact.lowestApdex.toFixed(2)}`
  const recovery = recoveryWords(impact)
  return `Impact: ${impact.grade} (T ${timeWords(impact.satisfiedMs ?? 0)}${apdex})${recovery === '' ? '' : `; ${recovery}`}`
}

/** How the service recovered, in words; empty where nothing tells. */
export function recoveryWords({ recoveryMs }: Pick<ResultImpact, 'recoveryMs'>): string {
  return Object.entries(recoveriesOf(recoveryMs))
    .map(([phase, ms]) => {
      if (ms === null) return `did not recover before the load ended, after ${phase}`
      return ms === 0 ? `recovered at once after ${phase}` : `recovered in ${timeWords(ms)} after ${phase}`
    })
    .join('; ')
}

function figuresOf(value: unknown): Figures {
  return typeof value === 'object' && value !== null ? Object.fromEntries(Object.entries(value)) : {}
}
function recoveriesOf(value: unknown): Record<string, number | null> {
  return typeof value === 'object' && value !== null ? Object.fromEntries(Object.entries(value)) : {}
}
