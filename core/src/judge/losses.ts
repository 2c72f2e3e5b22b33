// What a lost generator leaves unknown: requests that were under way, and what more load would have come to.
import { emptyScope, emptyStep } from '../measure/bucket.js'
import type { Loss } from '../measure/loss.js'
import { phaseRanges, type RunShape } from '../measure/shape.js'
import { Distribution } from '../numbers/distribution.js'
import { sum, type CellView, type GateScope } from './scope.js'

/** A request is under way for no longer: what was due in a phase that ended before had ended, too. */
const MOST_UNDER_WAY_MS = 60_000

/**
 * What a gate may have seen besides: at the lower bound all that was under way had ended at once and passed, at the
 * upper one it failed and took longer than anything. A gate pools all that it covers, so it all may be of one step.
 */
export function withLosses(
  view: CellView,
  losses: readonly Loss[],
  shape: RunShape,
  scope: GateScope,
  bound: 'lower' | 'upper',
): CellView {
  const unknown = losses.flatMap((loss) => cellsOf(loss, shape, scope, bound))
  return unknown.length === 0
    ? view
    : {
        ...view,
        steps: [...view.steps, ...unknown.map(({ step }) => step)],
        journeys: [...view.journeys, ...unknown.map(({ journey }) => journey)],
        groups: [...view.groups, ...unknown.flatMap(({ group }) => group ?? [])],
        checks: [...view.checks, ...unknown.flatMap(({ check }) => check ?? [])],
      }
}

function cellsOf(loss: Loss, shape: RunShape, scope: GateScope, bound: 'lower' | 'upper') {
  const ranges = phaseRanges(shape)
  const phase = ranges.findIndex(
    ({ fromMs, toMs }, index) => scope.isPhase(index) && fromMs < loss.atMs && toMs + MOST_UNDER_WAY_MS > loss.atMs,
  )
  const step = shape.steps.findIndex(({ isRequest }, index) => isRequest && scope.isStep(index))
  const journey = Math.max(
    0,
    shape.journeys.findIndex((_, index) => scope.isJourney(index)),
  )
  if (phase < 0) return []
  const { requests, journeys } = loss
  const times = () => alike(requests, bound)
  const ended = bound === 'lower' ? { finished: journeys } : { cutOff: journeys }
  const walked = { started: journeys, ...ended, time: bound === 'lower' ? alike(journeys, bound) : new Distribution() }
  const group = shape.groups.findIndex((_, index) => scope.isGroup(index))
  const check = shape.checks.findIndex((one) => scope.isStep(one.step))
  return [
    {
      step: {
        ...emptyStep(phase, phase, Math.max(0, step), journey),
        ...{ requests, failed: bound === 'lower' ? 0 : requests },
        ...{ responseTime: times(), timeToFirstByte: times(), connectTime: times() },
      },
      journey: { ...emptyScope(phase, journey, journey), ...walked },
      group: group < 0 ? undefined : { ...emptyScope(phase, group, journey), ...walked },
      check:
        check < 0
          ? undefined
          : {
              phase,
              check,
              journey,
              passed: bound === 'lower' ? requests : 0,
              failed: bound === 'lower' ? 0 : requests,
            },
    },
  ]
}

/** So many that took no time, or longer than can be recorded. */
function alike(count: number, bound: 'lower' | 'upper'): Distribution {
  const none = new Distribution()
  for (let number = 0; number < count; number++) none.record(0)
  return bound === 'lower' ? none : new Distribution().withUnfinished(none)
}

/** More of the load missing than this, and what is left is another load. */
const MOST_MISSING = 0.5

/** The share of the load due in measured phases that lost generators left undone. */
export function missingShare(losses: readonly Loss[], shape: RunShape): number {
  const isMeasured = (_: number, phase: number) => shape.phases[phase]?.measured === true
  const lost = sum(losses, ({ arrivals }) => sum(arrivals.filter(isMeasured), (count) => count))
  const left = sum(shape.phases, ({ measured, arrivalsDue }) => (measured ? arrivalsDue : 0))
  return lost === 0 ? 0 : lost / (lost + left)
}

/** Why a run that went on at less says nothing of its plan; undefined where it does. */
export function tooLittleLeft(losses: readonly Loss[], shape: RunShape): string | undefined {
  const share = missingShare(losses, shape)
  return share > MOST_MISSING
    ? `${percent(share)} of the load was missing, since generators were lost: more than half says nothing of the rest`
    : undefined
}

/** Each loss in words, with the part of the load that was missing over all. */
export function lossWords(losses: readonly Loss[], shape: RunShape): string[] {
  if (losses.length === 0) return []
  const each = losses.map(
    ({ generator, why, atMs }) => `generator ${generator} was lost after ${(atMs / 1000).toFixed(0)} s: ${why}`,
  )
  return [...each, `went on at less: ${percent(missingShare(losses, shape))} of the load due was not made`]
}

const percent = (share: number): string => `${(100 * share).toFixed(1)} %`

/** From when on load was missing that a gate covers, in words; undefined where none was. */
export function missingWords(losses: readonly Loss[], shape: RunShape, scope: GateScope): string | undefined {
  const ranges = phaseRanges(shape)
  const own = losses.filter(({ atMs }) => ranges.some(({ toMs }, phase) => scope.isPhase(phase) && toMs > atMs))
  const [first] = own.toSorted((one, other) => one.atMs - other.atMs)
  return first === undefined
    ? undefined
    : `the load of generator ${first.generator} was missing from ${(first.atMs / 1000).toFixed(0)} s on`
}
