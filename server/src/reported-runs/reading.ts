// What is reported, read and judged: work of seconds on what anybody with a token may send. It runs in the thread of
// reading-thread.ts, apart from what answers others.
import { createHash } from 'node:crypto'
import {
  bytesOfBase64,
  decodeBucket,
  previewOf,
  readPlan,
  scalePlan,
  shapeOf,
  withoutRows,
  type Plan,
  type RunShape,
  type RunTurn,
  type Target,
} from '@jolt-gate/core'
import { ROUTES, type ReportedRun, type RunPart } from '@jolt-gate/core/api'
import { Problem } from '../http/problem.js'
import { readJson } from '../http/read-json.js'
import { textsOf, type Texts } from '../runs/texts.js'

/** A report of a run that begins, as far as it is kept. */
export interface ReadRun extends Pick<ReportedRun, 'id' | 'change' | 'labels' | 'startedAt'> {
  said: Pick<ReportedRun['plan'], 'set' | 'commit' | 'dirty' | 'scale'>
  /** Without its rows of data. */
  plan: Plan
  target: Pick<Target, 'name' | 'origin'>
  shape: RunShape
  texts: Texts
  /** Tells it from any other report. */
  reported: string
}

export interface ReadSeconds {
  part: RunPart
  seconds: { second: number; data: string; bytes: Uint8Array }[]
  events: RunTurn[]
}

const fingerprint = (value: unknown): string => createHash('sha256').update(JSON.stringify(value)).digest('hex')

/** @throws Problem where the plan is none, or another version made the run */
export async function readRun(body: Uint8Array): Promise<ReadRun> {
  const report = await readJson(ROUTES.reportRun.body, body)
  const { plan: said, target: targetName, shape: made, id, change, labels, startedAt } = report
  const { plan, target, problems, hasErrors } = readPlan(said.file, said.text, {
    files: (path) => said.files[path],
    set: said.set,
    ...(targetName === null ? {} : { target: targetName }),
  })
  if (hasErrors || target === undefined) {
    const first = problems.find(({ severity }) => severity === 'error')
    throw new Problem(
      422,
      'PLAN',
      `${said.file}:${String(first?.line ?? 1)}: ${first?.message ?? 'there is no target'}`,
    )
  }
  const scaled = scalePlan({ ...plan, seed: said.seed }, said.scale)
  const shape = shapeOf(scaled, previewOf(scaled).phases, target)
  if (fingerprint(shape) !== made)
    throw new Problem(409, 'VERSION', 'the command that makes this run is of another version: use that of this server')
  const { set, commit, dirty, scale } = said
  return {
    ...{ id, change, labels, startedAt, shape },
    said: { set, commit, dirty, scale },
    plan: withoutRows(scaled),
    target: { name: target.name, origin: target.origin },
    texts: textsOf(report),
    reported: fingerprint(report),
  }
}

/** @throws Problem where a second is none, or another than it says */
export async function readSeconds(body: Uint8Array): Promise<ReadSeconds> {
  const { part, seconds, events } = await readJson(ROUTES.reportSeconds.body, body)
  return {
    ...{ part, events },
    seconds: seconds.map(({ second, data }) => {
      const bytes = bytesOfBase64(data)
      if (secondOf(bytes) !== second) throw new Problem(400, 'BAD_FIELD', `second ${String(second)} is another`)
      return { second, data, bytes }
    }),
  }
}

export const readResult = (body: Uint8Array) => readJson(ROUTES.reportResult.body, body)

function secondOf(bytes: Uint8Array): number {
  try {
    return decodeBucket(bytes).second
  } catch (error) {
    throw new Problem(400, 'BAD_FIELD', `a second cannot be read: ${error instanceof Error ? error.message : ''}`)
  }
}
