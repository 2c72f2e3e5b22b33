// Where a stage stands for a change: told from the runs of its plans, and from nothing else.
import type { Verdict } from '../judge/verdict-words.js'
import type { PlanOfStage, Stage } from './model.js'

/** What a stage asks of a run. */
export interface StageRun {
  id: string
  number: number
  planFile: string
  targetName: string
  /** The change under test. */
  commit: string
  branch: string | null
  /** Null while it waits or runs. */
  verdict: Verdict | null
  isWaiting: boolean
  askedAtMs: number
  /** Null while it waits or runs. */
  endedAtMs: number | null
  seconds: number
  reasons: readonly string[]
  /** Why it counts for no stage, in words; null where it does. */
  unfit: string | null
  /** Whether the server made it; else a command reported it. */
  isOfServer: boolean
  /** The commit of the project whose plan, target and files it was read from. */
  planCommit: string | null
}

/** An administrator's written consent to open a shut stage for a change. */
export interface Approval {
  stage: string
  commit: string
  by: string
  reason: string
  atMs: number
}

/** A verdict that runs came to, or what is still to come; the most severe stands first. */
export const STAGE_STATES = ['shut', 'void', 'stopped', 'running', 'queued', 'not run', 'open'] as const
export type StageState = (typeof STAGE_STATES)[number]

export interface PlanAtChange {
  plan: PlanOfStage
  state: StageState
  /** The run that counts: the latest for the change. */
  run: StageRun | null
  /** Later runs that do not count, with the reason in words. */
  ignored: { run: StageRun; why: string }[]
}

export interface StageAtChange {
  stage: string
  state: StageState
  plans: PlanAtChange[]
  approval: Approval | null
}

export interface ChangeUnderTest {
  commit: string
  /** Whether another commit is one of its ancestors, as far as is known. */
  hasAncestor: (commit: string) => boolean
}

/**
 * Where a stage stands for a change: each of its plans by its latest run that counts, the stage by the most severe of
 * them.
 * A run counts that was made for the change, against the stage's target, of a committed plan with its own values at
 * scale 1; of a scheduled stage also one for an ancestor of the change.
 *
 * @param runs - of the project, in any order
 */
export function stageAt(
  stage: Stage,
  change: ChangeUnderTest,
  runs: readonly StageRun[],
  approvals: readonly Approval[],
): StageAtChange {
  const plans = stage.plans.map((plan) => planAt(plan, stage, change, runs))
  const worst = STAGE_STATES.find((state) => plans.some((plan) => plan.state === state)) ?? 'not run'
  return { stage: stage.name, state: worst, plans, approval: approvalOf(stage, change.commit, approvals) }
}

/** The latest approval of a stage for a change; none where the stage takes none. */
export function approvalOf(stage: Stage, commit: string, approvals: readonly Approval[]): Approval | null {
  if (!stage.hasApproval) return null
  const own = approvals.filter((approval) => approval.stage === stage.name && approval.commit === commit)
  return own.toSorted((one, other) => other.atMs - one.atMs)[0] ?? null
}

function planAt(plan: PlanOfStage, stage: Stage, change: ChangeUnderTest, runs: readonly StageRun[]): PlanAtChange {
  const isOfChange = ({ commit }: StageRun) =>
    commit === change.commit || (stage.begins.kind === 'schedule' && change.hasAncestor(commit))
  const latest = runs
    .filter((run) => run.planFile === plan.file && isOfChange(run))
    .toSorted((one, other) => other.askedAtMs - one.askedAtMs || other.number - one.number)
  const ignored: PlanAtChange['ignored'] = []
  for (const run of latest) {
    const why = whyNot(run, plan, stage)
    if (why === undefined) return { plan, state: stateOf(run), run, ignored }
    ignored.push({ run, why })
  }
  return { plan, state: 'not run', run: null, ignored }
}

/** Why a run does not count for a plan of a stage; undefined where it does. */
function whyNot(
  { unfit, targetName, isOfServer }: StageRun,
  { target }: PlanOfStage,
  { madeBy }: Stage,
): string | undefined {
  if (unfit !== null) return unfit
  if (madeBy === 'server' && !isOfServer) return 'a command reported it, and the stage takes runs of the server alone'
  return targetName !== target ? `it ran against ${targetName}, not ${target}` : undefined
}

const stateOf = ({ verdict, isWaiting }: StageRun): StageState => verdict ?? (isWaiting ? 'queued' : 'running')
