import { readPlan, type Plan, type Target } from '@jolt-gate/core'
import { startRun, type RunHandle, type RunOptions, type RunOutcome } from '@jolt-gate/engine'
import { expect, type TestContext } from 'vitest'
import { HostWatch } from './host.js'

declare module 'vitest' {
  interface TaskMeta {
    /** Why a test did not judge what it measured. */
    excuse?: string
  }
}

type Extra = Partial<
  Pick<
    RunOptions,
    | 'secrets'
    | 'senders'
    | 'generators'
    | 'onEvent'
    | 'onSamples'
    | 'onState'
    | 'scale'
    | 'baseline'
    | 'fileBytes'
    | 'mostLateMs'
    | 'warmsUp'
  >
> & {
  /** Of the run. */
  id?: string
  /** Further lines of the target file. */
  target?: string
  /** Other files of the repository. */
  files?: Record<string, string>
}

/** Reads a plan text for an origin. */
export function planFor(origin: string, parts: string, extra: Extra = {}): { plan: Plan; target: Target } {
  const text = `jolt: 1\nname: Test\ntarget: here\n${parts}\n`
  const { target: more = '', files = {} } = extra
  const secrets = Object.keys(extra.secrets ?? {})
  const { plan, target, problems } = readPlan('plans/test.gate.yaml', text, {
    files: (path) =>
      path === 'targets/here.target.yaml'
        ? `origin: ${origin}\nsecrets: [${secrets.join(', ')}]\n${more}`
        : files[path],
  })
  const [first] = problems
  if (first !== undefined || target === undefined)
    throw new Error(`${first?.line ?? 0}: ${first?.message ?? 'no target'}`)
  return { plan, target }
}

/** Starts a run of a plan text against an origin. */
export function begin(origin: string, parts: string, extra: Extra = {}): RunHandle {
  const { plan, target } = planFor(origin, parts, extra)
  const identity = {
    id: extra.id ?? 'test',
    tool: 'test',
    plan: { name: plan.name, file: plan.file, commit: null, branch: null, dirty: false, seed: plan.seed },
  }
  // What is counted is counted exactly on a host that takes the processor away, too: late arrivals start all the same.
  const options = { identity, secrets: {}, mostLateMs: 60_000, warmsUp: false, ...extra }
  const watch = new HostWatch()
  const handle = startRun({ ...options, plan, target })
  void handle.done.then(({ judgement }) => wasHostBusy.set(judgement, watch.wasBusy())).catch(() => undefined)
  return handle
}

export function runPlan(origin: string, parts: string, extra: Extra = {}): Promise<RunOutcome> {
  return begin(origin, parts, extra).done
}

/** What a verdict is called where the host of the test took the processor away, and the run rightly says so. */
export const HOST = 'a matter of the host'

/** Whether the kernel found the host busy with others while a run lasted. */
const wasHostBusy = new WeakMap<RunOutcome['judgement'], boolean>()

export const hostWasBusy = (judgement: RunOutcome['judgement']): boolean => wasHostBusy.get(judgement) === true

/** The verdict, unless the run blames nothing but the host, and the kernel agrees. */
export function verdictOf(judgement: RunOutcome['judgement']): string {
  const { verdict, reasons } = judgement
  const isHosts = (reason: string) => /^undecided: |^other programs held up|could not keep up/.test(reason)
  const isExcused = hostWasBusy(judgement) && reasons.every(isHosts)
  return verdict === 'void' && isExcused ? HOST : verdict
}

/**
 * Skips the rest of a test whose host was busy, as the kernel found. Each such skip is counted and printed, and more
 * than five fail `npm test`.
 */
export function skipWhenBusy(judgement: RunOutcome['judgement'], { task, skip }: TestContext): void {
  if (!hostWasBusy(judgement)) return
  task.meta.excuse = 'the host was busy'
  skip('the host was busy')
}

/** Expects an open run; one that is void for the host alone skips what is left. */
export function expectOpen(judgement: RunOutcome['judgement'], context: TestContext): void {
  if (verdictOf(judgement) === HOST) skipWhenBusy(judgement, context)
  expect(verdictOf(judgement)).toBe('open')
}

/** One journey of one request. */
export const ONE_REQUEST = 'journeys:\n  one:\n    steps:\n      - send: GET /one\n        name: one\n'

/** A journey of some steps, indented by six, and a batch of users. */
export function journeyOf(steps: string, starts = 4, more = ''): string {
  return `${more}journeys:\n  a:\n    steps:\n${steps}load:\n  - { phase: p, starts: ${String(starts)}, for: 400ms }\n`
}
