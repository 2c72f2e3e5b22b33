// What the cells of a pipeline say: where a change stands at a stage, in words and with a sign.
import { ADMISSION_TITLES, verdictWords, type StageState } from '@jolt-gate/core'
import type { AdmissionAnswer, ChangeLine, PipelineSummary, StageCell, StageEntry } from '@jolt-gate/core/api'
import { lengthOf } from '../text/figures.js'

export type Sign = 'open' | 'shut' | 'void' | 'stopped' | 'going'

export interface CellPicture {
  /** None where nothing is known yet. */
  sign: Sign | null
  title: string
  /** The run that the title stands for, where it is one alone. */
  run: string | null
  /** Beside the title: how long it took, or what is missing. */
  note: string
  isBad: boolean
  /** Whether an approval would change it. */
  isStuck: boolean
  plans: { key: string; name: string; sign: Sign | null; words: string; run: string | null }[]
  /** The approval, in its own words. */
  consent: string
}

export function signOf(state: StageState): Sign | null {
  if (state === 'not run') return null
  return state === 'running' || state === 'queued' ? 'going' : state
}

export function stateWords(state: StageState): string {
  switch (state) {
    case 'running':
      return 'Running'
    case 'queued':
      return 'Queued'
    case 'not run':
      return 'Not run'
    default:
      return verdictWords(state)
  }
}

/** One cell: of a stage, the runs of its plans; of an admission, the answer. */
export function cellOf({ at, admission, words }: ChangeLine['stages'][number]): CellPicture {
  return admission === null ? stageCell(at, words) : admissionCell(admission)
}

function stageCell({ state, seconds, plans, approval }: StageCell, said: string): CellPicture {
  const done = plans.filter((plan) => plan.state === 'open').length
  const isPartly = state === 'not run' && done > 0
  return {
    sign: signOf(state),
    title: stateWords(state),
    run: plans.length === 1 ? (plans[0]?.run?.id ?? null) : null,
    // Where runs say it all, the server adds nothing.
    note:
      state === 'not run' && said !== ''
        ? said
        : isPartly
          ? `${String(done)} of ${String(plans.length)} plans open`
          : seconds > 0
            ? lengthOf(seconds)
            : '',
    isBad: state === 'shut',
    isStuck: state === 'shut' || state === 'void' || state === 'stopped',
    // Of a stage with one plan the title says it all, but why.
    plans: plans
      .filter((plan) => plans.length > 1 || plan.run?.reason != null || plan.ignored.length > 0)
      .map(({ plan, name, state: ofPlan, run, ignored }) => ({
        key: plan,
        name,
        sign: signOf(ofPlan),
        words: run?.reason ?? ignoredWords(ignored),
        run: run?.id ?? null,
      })),
    consent: approval === null ? '' : `${approval.by}: "${approval.reason}"`,
  }
}

const ignoredWords = ([last]: StageCell['plans'][number]['ignored']): string =>
  last === undefined ? '' : `run ${String(last.number)} does not count: ${last.why}`

function admissionCell({ answer, words, approval }: AdmissionAnswer): CellPicture {
  return {
    sign: answer === 'waiting' ? null : answer === 'admitted' ? 'open' : 'shut',
    title: approval !== null ? 'Approved' : ADMISSION_TITLES[answer],
    run: null,
    note: approval !== null ? '' : words,
    isBad: answer === 'refused',
    isStuck: answer === 'refused',
    plans: [],
    consent: approval === null ? '' : `${approval.by}: "${approval.reason}"`,
  }
}

/** What a stage asks, in one line under its name. */
export function stageNote({ begins, isAdmission, requires, after, plans }: PipelineSummary['stages'][number]): string {
  const targets = [...new Set(plans.map(({ target }) => target))]
  if (isAdmission) return `admission: ${[...requires, ...(after === null ? [] : [after])].join(', ')}`
  return [begins, after === null ? '' : `after ${after}`, ...targets].filter(Boolean).join(' · ')
}

/** What a stage's history comes to: how often it was open, and how long it usually takes. */
export function historyWords(entries: readonly StageEntry[]): string {
  const ended = entries.filter(({ state }) => STATES_OF_AN_END.some((one) => one === state))
  if (ended.length === 0) return 'No run has ended yet.'
  const counts = STATES_OF_AN_END.flatMap((state) => {
    const count = ended.filter((entry) => entry.state === state).length
    return count === 0 ? [] : [`${String(count)} ${state}`]
  })
  const seconds = ended
    .flatMap(({ askedAt, endedAt }) => (endedAt === null ? [] : (Date.parse(endedAt) - Date.parse(askedAt)) / 1000))
    .toSorted((one, other) => one - other)
  const median = seconds[Math.floor(seconds.length / 2)]
  const usual = median === undefined ? '' : `; usually ${lengthOf(Math.round(median))} long`
  return `Last ${String(ended.length)}: ${counts.join(', ')}${usual}.`
}
const STATES_OF_AN_END = ['open', 'shut', 'void', 'stopped'] as const

/** What a new pipeline begins as: a stage with the first plan that is there, and an admission after it. */
export function newPipeline(name: string, files: readonly string[]): string {
  const plan = files.find((file) => file.endsWith('.gate.yaml'))
  return `jolt: 1
pipeline: ${name}
stages:
  - stage: staging
    begins: push to main
    plans: [${plan ?? ''}]
  - stage: production
    begins: admission
    requires: [staging within 24h]
`
}

/** When something comes: "next in 9 h 12 min". */
export function untilWords(instant: string | null, now: number): string {
  if (instant === null) return 'never'
  const minutes = Math.max(0, Math.round((Date.parse(instant) - now) / 60_000))
  return minutes < 1 ? 'next in a moment' : `next in ${lengthOf(60 * minutes)}`
}

/**
 * How a pipeline elsewhere runs the first stage and asks for the first admission, as a POSIX shell takes it. Names come
 * from a repository: none of them may be more than a word of the command.
 */
export function commandsFor(
  { file, stages }: PipelineSummary,
  origin: string,
  project: number,
  commit: string,
  isOnly: boolean,
): string[] {
  const common = [`--commit ${shellWord(commit)}`, `--to ${shellWord(`${origin}/p/${String(project)}`)}`]
  const run = stages.find(({ plans }) => plans.length > 0)
  const asked = stages.find(({ isAdmission }) => isAdmission)
  const command = (...parts: string[]) => parts.join(' \\\n  ')
  return [
    ...(run === undefined
      ? []
      : [command('jolt-gate run', run.plans.map((plan) => shellWord(plan.file)).join(' '), ...common)]),
    ...(asked === undefined
      ? []
      : [
          command(
            'jolt-gate admit',
            `--stage ${shellWord(asked.name)}`,
            ...(isOnly ? [] : [`--pipeline ${shellWord(file)}`]),
            ...common,
          ),
        ]),
  ]
}

const shellWord = (text: string): string => (/^[\w./:@-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`)
