// Runs under way, as OpenMetrics tells them: each by its last whole second.
import { decodeBucket, Distribution } from '@jolt-gate/core'
import { Gauge, Registry } from 'prom-client'
import { BucketRow, RunRow } from '../database/models.js'

const LABELS = ['project', 'plan', 'target', 'run'] as const
/** More at once than any server makes or hears of. */
const MOST_RUNS = 50

/** The text of their figures, of the projects that the one who asks may see. */
export async function liveFigures(isShown: (projectId: number) => boolean): Promise<string> {
  const figures = new Registry<'application/openmetrics-text; version=1.0.0; charset=utf-8'>()
  figures.setContentType(Registry.OPENMETRICS_CONTENT_TYPE)
  const gauge = (name: string, help: string) =>
    new Gauge({ name: `jolt_gate_live_${name}`, help, labelNames: LABELS, registers: [figures] })
  const users = gauge('users', 'Most virtual users in flight in the last second of a run under way')
  const requests = gauge('requests', 'Requests that ended in the last second of a run under way')
  const failed = gauge('requests_failed', 'Requests that failed in the last second of a run under way')
  const p95 = gauge('response_time_p95_seconds', 'p95 response time of the last second of a run under way')
  const rows = await RunRow.findAll({
    where: { state: 'running' },
    attributes: ['id', 'projectId', 'planFile', 'targetName', 'number'],
    limit: MOST_RUNS,
  })
  for (const { id, projectId, planFile, targetName, number } of rows.filter((row) => isShown(row.projectId))) {
    const last = await BucketRow.findOne({ where: { runId: id }, order: [['second', 'DESC']] })
    if (last === null) continue
    const labels = { project: String(projectId), plan: planFile, target: targetName, run: String(number) }
    const { steps, users: most } = decodeBucket(last.data)
    const times = new Distribution()
    for (const { responseTime } of steps) times.add(responseTime)
    users.set(labels, most)
    requests.set(
      labels,
      steps.reduce((sum, step) => sum + step.requests, 0),
    )
    failed.set(
      labels,
      steps.reduce((sum, step) => sum + step.failed, 0),
    )
    if (times.count > 0) p95.set(labels, times.percentile(95) / 1000)
  }
  return figures.metrics()
}
