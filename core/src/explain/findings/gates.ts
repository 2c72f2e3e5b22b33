// Gates that cannot fail, and gates too close to normal values.
import { isUpperLimit } from '../../language/comparisons.js'
import type { GateResult } from '../../judge/gate-result.js'
import { formatValue } from '../../judge/values.js'
import type { Gate } from '../../plan/model.js'
import { figure, type Finding } from '../finding.js'

const WORSE = 10
/** Of the last ten runs. */
const MOST_OF_TEN = 5

interface Judged {
  gate: Gate
  result: GateResult
}

/**
 * Loose: held by a tenfold worsening, too. Tight: borderline in most of the last ten runs.
 *
 * @param pastBorderline - in how many of the last ten runs each rule was borderline; empty where nothing is known
 */
export function gateFindings(gates: readonly Judged[], pastBorderline: ReadonlyMap<string, number>): Finding[] {
  return [...looseGates(gates), ...tightGates(gates, pastBorderline)]
}

function looseGates(gates: readonly Judged[]): Finding[] {
  const loose = gates.flatMap(({ gate, result: { rule, observed, limit, unit, status, isDefault } }) => {
    const isOfTime = unit === 'ms' && isUpperLimit(gate.comparison) && isDefault !== true
    const isHeldByFar = status === 'held' && observed !== null && limit !== null && observed * WORSE < limit
    return isOfTime && isHeldByFar ? [{ gate, rule, observed, limit, unit }] : []
  })
  const [first] = loose
  if (first === undefined) return []
  const { rule, observed, unit, limit } = first
  const which = loose.length === 1 ? `The gate "${rule}"` : `${String(loose.length)} gates, such as "${rule}",`
  return [
    {
      kind: 'loose gate',
      severity: 'info',
      ...FRAME,
      phases: [...new Set(loose.flatMap(({ gate }) => gate.during))],
      evidence: { rule, observed: figure(observed), limit: figure(limit), gates: loose.length },
      text: `${which} would hold if it were ten times as slow: it observed ${formatValue(observed, unit)}.`,
      tryNext: ['Set the limit to what users accept, or to two or three times what is observed, whichever is less.'],
    },
  ]
}

function tightGates(gates: readonly Judged[], pastBorderline: ReadonlyMap<string, number>): Finding[] {
  return gates.flatMap(({ gate, result: { rule, observed, limit } }): Finding[] => {
    const times = pastBorderline.get(rule) ?? 0
    if (times <= MOST_OF_TEN) return []
    return [
      {
        kind: 'tight gate',
        severity: 'info',
        ...FRAME,
        phases: gate.during,
        evidence: { rule, observed: figure(observed ?? NaN), limit: figure(limit ?? NaN), borderlineOfTen: times },
        text: `The gate "${rule}" was borderline in ${String(times)} of the last ten runs: it is too close to normal values.`,
        tryNext: [
          'Measure longer, so that the interval is narrower.',
          'Move the limit away from what is usual, or make the service faster.',
        ],
      },
    ]
  })
}

const FRAME = { confidence: 1, steps: [], fromMs: 0, toMs: 0 }
