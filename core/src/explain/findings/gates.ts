// Gates that cannot fail, and gates that noise decides.
import { isUpperLimit } from '../../language/comparisons.js'
import type { GateResult } from '../../judge/gate-result.js'
import { formatValue } from '../../judge/values.js'
import type { Gate } from '../../plan/model.js'
import { figure, type Finding } from '../finding.js'

const WORSE = 10
/** Of the last ten runs. */
const MOST_OF_TEN = 5

/**
 * Loose: held by a tenfold worsening, too. Tight: borderline in most of the last ten runs.
 *
 * @param pastBorderline - in how many of the last ten runs each rule was borderline; empty where nothing is known
 */
export function gateFindings(
  gates: readonly { gate: Gate; result: GateResult }[],
  pastBorderline: ReadonlyMap<string, number>,
): Finding[] {
  return gates.flatMap(({ gate, result }): Finding[] => {
    const { rule, observed, limit, unit, status, isDefault } = result
    if (observed === null || limit === null || isDefault === true) return []
    const frame = { confidence: 1, phases: gate.during, steps: [], fromMs: 0, toMs: 0 }
    const evidence = { rule, observed: figure(observed), limit: figure(limit) }
    const isLoose =
      status === 'held' &&
      observed > 0 &&
      (unit === 'ms' ? isUpperLimit(gate.comparison) && observed * WORSE < limit : false)
    const times = pastBorderline.get(rule) ?? 0
    return [
      ...(isLoose
        ? [
            {
              kind: 'loose gate' as const,
              level: 'note' as const,
              ...frame,
              evidence,
              text: `The gate "${rule}" would hold if it were ten times as slow: it observed ${formatValue(observed, unit)}.`,
              tryNext: [
                'Set the limit to what users bear, or to two or three times what is observed, whichever is less.',
              ],
            },
          ]
        : []),
      ...(times > MOST_OF_TEN
        ? [
            {
              kind: 'tight gate' as const,
              level: 'note' as const,
              ...frame,
              evidence: { ...evidence, borderlineOfTen: times },
              text: `The gate "${rule}" was borderline in ${String(times)} of the last ten runs: noise decides it.`,
              tryNext: [
                'Measure longer, so that the interval is narrower.',
                'Move the limit away from what is usual, or make the service faster.',
              ],
            },
          ]
        : []),
    ]
  })
}
