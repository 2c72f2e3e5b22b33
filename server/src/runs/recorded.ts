// Runs that were made elsewhere and kept as a file: the demo has a past at its first start.
import { createReadStream, existsSync } from 'node:fs'
import { createInterface } from 'node:readline'
import { createGunzip } from 'node:zlib'
import { bytesOfBase64, RESULT, type Plan, type RunShape } from '@jolt-gate/core'
import { ownType, RUN_SUMMARY } from '@jolt-gate/core/api'
import { array, object, string, type InferType } from 'yup'
import { idsInResult } from './baselines.js'
import { BucketRow, RunRow } from '../database/models.js'
import { addNumbered, storeResult } from './store.js'

const RECORDED = object({
  run: RUN_SUMMARY.omit(['labels', 'note'])
    .shape({ plan: ownType<Plan>('plan').required(), shape: ownType<RunShape>('shape').required() })
    .required(),
  result: RESULT.clone().required(),
  /** Bytes of each second as base64, in order. */
  buckets: array().of(string().required()).required(),
})
const DAYS_APART_MS = 12 * 3_600_000
const LAST_AGO_MS = 3 * 3_600_000

/**
 * Adds the runs of a file, a line of JSON each, to a project that has none. Their moments are moved: the last one was
 * three hours ago, and each half a day after the one before.
 *
 * @throws ValidationError for a line that is no run
 */
export async function addRecordedRuns(projectId: number, file: string): Promise<number> {
  if (!existsSync(file) || (await RunRow.count({ where: { projectId } })) > 0) return 0
  const lines: string[] = []
  for await (const line of createInterface({ input: createReadStream(file).pipe(createGunzip()) })) lines.push(line)
  const last = Date.now() - LAST_AGO_MS
  for (const [index, line] of lines.entries()) {
    const recorded = await RECORDED.validate(JSON.parse(line))
    await addRecorded(projectId, recorded, new Date(last - (lines.length - 1 - index) * DAYS_APART_MS))
  }
  return lines.length
}

async function addRecorded(
  projectId: number,
  { run, result, buckets }: InferType<typeof RECORDED>,
  at: Date,
): Promise<void> {
  const { plan, shape, commit, branch, dirty, targetName, origin, startedBy } = run
  const row = await addNumbered({
    // Runs name one another as their baselines: each keeps its id.
    ...{ id: result.id, projectId, plan, shape, askedAt: at },
    target: { name: targetName, origin },
    head: { commit, branch, dirty },
    startedBy: startedBy ?? '',
  })
  const length = Date.parse(result.endedAt) - Date.parse(result.startedAt)
  const moved = {
    ...result,
    startedAt: at.toISOString(),
    endedAt: new Date(at.getTime() + length).toISOString(),
  }
  await storeResult(row, moved, shape)
  await row.update({ state: 'ended', baselineId: result.baseline?.id ?? null, baselineIds: idsInResult(result) })
  await BucketRow.bulkCreate(
    buckets.map((data, second) => ({ runId: row.id, second, data: Buffer.from(bytesOfBase64(data)) })),
  )
}
