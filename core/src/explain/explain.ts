// All findings of a run, the most severe first, and its impact.
import type { GateResult } from '../judge/gate-result.js'
import type { Gate } from '../plan/model.js'
import { Draws } from '../values/random.js'
import type { RunView } from '../view/run-view.js'
import { evidenceOf, secondsByStep } from './evidence.js'
import { SEVERITIES, type Finding } from './finding.js'
import { coldStart } from './findings/cold-start.js'
import { onlyUnderConcurrency } from './findings/concurrency.js'
import { drift } from './findings/drift.js'
import { failureFindings } from './findings/failures.js'
import { firstToFill } from './findings/first-to-fill.js'
import { gateFindings } from './findings/gates.js'
import { generatorFindings, LATE_MS, type GeneratorFacts } from './findings/generator.js'
import { networksAsCauses, placesAsCauses } from './findings/parts.js'
import { twoPopulations } from './findings/populations.js'
import { queueing } from './findings/queueing.js'
import { slowRecovery } from './findings/recovery.js'
import { saturation } from './findings/saturation.js'
import { periodicSpikes } from './findings/spikes.js'
import { whereTheTimeGoes } from './findings/time-parts.js'
import { impactOf, type Impact } from '../judge/impact.js'

export interface Explained {
  findings: Finding[]
  impact: Impact
}

export interface ToExplain {
  view: RunView
  gates: readonly Gate[]
  /** Why figures cannot be trusted. */
  reasons: readonly string[]
  /** In how many of the last ten runs each rule was borderline. */
  pastBorderline?: ReadonlyMap<string, number>
}

/** A result holds no more; the most severe stay. */
export const MOST_FINDINGS = 100

/** Draws are always the same: what was found once is found again. */
const SEED = 20_260_601

/** Explains a run; of a live one, what is known so far. */
export function explain({ view, gates, reasons, pastBorderline = new Map() }: ToExplain): Explained {
  const evidence = evidenceOf(view)
  const draws = new Draws(SEED).at(0, 0, 0)
  const random = () => draws.next()
  const bySteps = secondsByStep(evidence)
  const impact = impactOf(view, view.satisfiedMs)
  const results = view.gates()
  const judged = gates.flatMap((gate, index): { gate: Gate; result: GateResult }[] => {
    const result = results[index]
    return result === undefined ? [] : [{ gate, result }]
  })
  const findings = [
    ...generatorFindings(evidence, generatorFacts(view, reasons, results)),
    ...failureFindings(evidence),
    ...onlyUnderConcurrency(evidence, random),
    ...saturation(evidence, random),
    ...firstToFill(evidence),
    ...queueing(evidence),
    ...slowRecovery(view.shape, impact.recovery),
    ...placesAsCauses(view, random),
    ...networksAsCauses(view, random),
    ...coldStart(evidence, bySteps),
    ...drift(evidence, bySteps),
    ...periodicSpikes(evidence),
    ...twoPopulations(evidence),
    ...whereTheTimeGoes(evidence),
    ...gateFindings(judged, pastBorderline),
  ]
  const rank = ({ severity }: Finding) => SEVERITIES.indexOf(severity)
  return { findings: findings.toSorted((one, other) => rank(one) - rank(other)).slice(0, MOST_FINDINGS), impact }
}

function generatorFacts(
  { recording }: RunView,
  reasons: readonly string[],
  results: readonly GateResult[],
): GeneratorFacts {
  const rows = recording.seconds
  const errors = rows.map(({ errorMs }) => errorMs).toSorted((a, b) => a - b)
  return {
    reasons,
    isDecisive: results.some(({ status }) => status === 'undecided'),
    lateShare: errors.filter((error) => error > LATE_MS).length / Math.max(1, errors.length),
    errorMs: errors[Math.max(0, Math.ceil(0.99 * errors.length) - 1)] ?? 0,
    busiest: Math.max(0, ...rows.map(({ busy }) => busy)),
    steal: rows.length === 0 ? 0 : rows.reduce((sum, { steal }) => sum + steal, 0) / rows.length,
  }
}
