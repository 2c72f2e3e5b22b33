// The answer to "may this change go on to this stage?", from what is known.
import { verdictWords } from '../judge/verdict-words.js'
import {
  approvalOf,
  stageAt,
  type Approval,
  type ChangeUnderTest,
  type StageAtChange,
  type StageRun,
} from './stage-state.js'
import type { Pipeline, Requirement, Stage } from './model.js'

/** A stage that the change must have passed, and whether it has. */
export interface RequiredStage {
  stage: StageAtChange
  withinMs: number | null
  isMet: boolean
  /** "staging: open, 2 h ago", or why it is not met. */
  words: string
}

/** Waiting: what it requires is under way, or has not been begun for this change at all. */
export const ADMISSION_WORDS = ['admitted', 'refused', 'waiting'] as const
export type AdmissionWord = (typeof ADMISSION_WORDS)[number]
export const ADMISSION_TITLES: Readonly<Record<AdmissionWord, string>> = {
  admitted: 'Admitted',
  refused: 'Refused',
  waiting: 'Waiting',
}

export interface Admission {
  pipeline: string
  stage: string
  commit: string
  answer: AdmissionWord
  /** The first reason, in one sentence. */
  words: string
  required: RequiredStage[]
  approval: Approval | null
}

export interface AdmissionFacts {
  runs: readonly StageRun[]
  approvals: readonly Approval[]
  nowMs: number
}

/** The plans that some admission of a pipeline stands on, by their files. */
export function plansOfAdmissions(pipeline: Pipeline): ReadonlySet<string> {
  const asked = pipeline.stages.filter(({ begins }) => begins.kind === 'admission').map(({ name }) => name)
  const stages = new Set<Stage>()
  for (const name of asked) {
    const stage = pipeline.stages.find((one) => one.name === name)
    if (stage === undefined || stages.has(stage)) continue
    stages.add(stage)
    asked.push(...stage.requires.map((one) => one.stage), ...(stage.after === null ? [] : [stage.after]))
  }
  return new Set([...stages].flatMap(({ plans }) => plans.map(({ file }) => file)))
}

/**
 * Answers for a stage and a change: open where all that it requires, and the stage that it comes after, is open at the
 * change and recent enough, or where an administrator has consented in writing.
 *
 * @param facts - the runs and consents that are known of the change, and the time
 */
export function admissionOf(
  pipeline: Pipeline,
  stage: Stage,
  change: ChangeUnderTest,
  facts: AdmissionFacts,
): Admission {
  const asked: Requirement[] = [
    ...stage.requires,
    ...(stage.after === null || stage.requires.some((one) => one.stage === stage.after)
      ? []
      : [{ stage: stage.after, withinMs: null }]),
  ]
  const required = asked.flatMap((requirement) => {
    const named = pipeline.stages.find(({ name }) => name === requirement.stage)
    return named === undefined ? [] : [requiredStage(pipeline, named, requirement, change, facts)]
  })
  const unmet = required.find(({ isMet }) => !isMet)
  const approval = approvalOf(stage, change.commit, facts.approvals)
  // What asks for nothing admits nothing: a requirement that cannot be found is none that is met.
  const isOpen = required.length > 0 && required.length === asked.length && unmet === undefined
  return {
    pipeline: pipeline.file,
    stage: stage.name,
    commit: change.commit,
    answer:
      isOpen || approval !== null ? 'admitted' : isUnderWay(required) || isUntouched(required) ? 'waiting' : 'refused',
    words: isOpen
      ? required.map(({ words }) => words).join('; ')
      : approval === null
        ? (unmet?.words ?? 'the stage requires nothing that could be met')
        : `approved by ${approval.by}: "${approval.reason}"`,
    required,
    approval,
  }
}

const isUnderWay = (required: readonly RequiredStage[]): boolean =>
  required.some(({ stage: { state } }) => state === 'running' || state === 'queued')

const isUntouched = (required: readonly RequiredStage[]): boolean =>
  required.length > 0 &&
  required.every(
    ({ stage: { state, plans } }) => state === 'not run' && plans.every(({ ignored }) => ignored.length === 0),
  )

function requiredStage(
  pipeline: Pipeline,
  stage: Stage,
  { withinMs }: Requirement,
  change: ChangeUnderTest,
  facts: AdmissionFacts,
): RequiredStage {
  const at = stageAt(stage, change, facts.runs, facts.approvals)
  if (stage.begins.kind === 'admission') return askedOfAdmission(pipeline, stage, at, withinMs, change, facts)
  const { approval } = at
  const ended = at.plans.map(({ run }) => run?.endedAtMs ?? null)
  const oldest = ended.includes(null) ? null : Math.min(...ended.flatMap((moment) => moment ?? []))
  const isRecent = (moment: number | null) => moment !== null && (withinMs === null || facts.nowMs - moment <= withinMs)
  if (at.state === 'open' && isRecent(oldest))
    return { stage: at, withinMs, isMet: true, words: `${stage.name}: open, ${agoWords(facts.nowMs - (oldest ?? 0))}` }
  if (approval !== null && isRecent(approval.atMs))
    return {
      stage: at,
      withinMs,
      isMet: true,
      words: `${stage.name}: approved by ${approval.by}: "${approval.reason}"`,
    }
  const words =
    at.state === 'open' && oldest !== null && withinMs !== null
      ? `${stage.name}: open, but ${agoWords(facts.nowMs - oldest)}, and it must be within ${lengthWords(withinMs)}`
      : whyShut(at, facts.nowMs)
  return { stage: at, withinMs, isMet: false, words }
}

/** A stage that is an admission itself is met where it admits; how recently is asked of what it requires. */
function askedOfAdmission(
  pipeline: Pipeline,
  stage: Stage,
  at: StageAtChange,
  withinMs: number | null,
  change: ChangeUnderTest,
  facts: AdmissionFacts,
): RequiredStage {
  const { answer, words, required } = admissionOf(pipeline, stage, change, facts)
  const isMet = answer === 'admitted'
  const state = isMet ? 'open' : answer === 'refused' ? 'shut' : isUnderWay(required) ? 'queued' : 'not run'
  return { stage: { ...at, state }, withinMs, isMet, words: `${stage.name}: ${words}` }
}

function whyShut({ stage, plans, state }: StageAtChange, nowMs: number): string {
  const grave = plans.find((plan) => plan.state === state)
  const run = grave?.run ?? null
  if (grave === undefined || run === null) {
    const [last] = grave?.ignored ?? []
    const but = last === undefined ? '' : `; run ${String(last.run.number)} does not count: ${last.why}`
    return `${stage}: ${grave?.plan.file ?? 'nothing'} was not run for this change${but}`
  }
  if (run.verdict === null) return `${stage}: run ${String(run.number)} of ${run.planFile} is ${state}`
  const when = run.endedAtMs === null ? '' : `, ${agoWords(nowMs - run.endedAtMs)}`
  const [reason] = run.reasons
  return `${stage}: ${verdictWords(run.verdict)}${when}, run ${String(run.number)} of ${run.planFile}${reason === undefined ? '' : `: ${reason}`}`
}

const agoWords = (ms: number): string => (ms < 60_000 ? 'just now' : `${lengthWords(ms)} ago`)

/** A length in its largest whole unit: "26 h", "3 d". */
export function lengthWords(ms: number): string {
  const minutes = Math.floor(ms / 60_000)
  if (minutes < 60) return `${String(minutes)} min`
  const hours = Math.floor(minutes / 60)
  return hours < 72 ? `${String(hours)} h` : `${String(Math.floor(hours / 24))} d`
}
