// Runs as the database holds them, for what reads many of them.
import { RunRow } from '../src/database/models.js'
import { PLAN } from './place.js'

const VERDICTS = ['open', 'shut', 'void'] as const
/** Runs numbered from 1, an hour apart, by turns of verdict, branch and person. */
export async function addRuns(
  from: number,
  to: number,
  over: (number: number) => Partial<RunRow> = () => ({}),
): Promise<void> {
  await RunRow.bulkCreate(
    Array.from({ length: to - from + 1 }, (_, index) => {
      const number = from + index
      const branch = number % 10 === 0 ? 'release/summer' : 'main'
      const askedAt = new Date(Date.UTC(2026, 0, 1) + number * 3_600_000)
      const startedBy = number % 2 === 0 ? 'Ida Quay' : 'Jon Buoy'
      return {
        ...{ id: `r${String(number)}`, projectId: 1, number, planFile: PLAN, planName: 'Short', targetName: 'here' },
        ...{ madeFile: PLAN, madeTarget: 'here' },
        ...{ origin: 'http://127.0.0.1:1', commit: 'abcdef1234567890', branch, dirty: false, state: 'ended' as const },
        part: null,
        ...{ verdict: VERDICTS[number % 3] ?? null, reasons: [], spark: { due: [], p95: [] }, seconds: 2, peakRate: 1 },
        ...{
          mostUsers: 0,
          gatesAll: 1,
          gatesBreached: 0,
          requests: 40,
          failedShare: 0,
          p95: 3,
          impact: null,
          startedBy,
        },
        ...{ searched: `${String(number)} short ${branch} ${startedBy}`.toLowerCase(), askedAt, startedAt: askedAt },
        endedAt: askedAt,
        ...over(number),
      }
    }),
  )
}
