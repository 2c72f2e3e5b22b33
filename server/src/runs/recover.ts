// Runs that a server left behind when it ended without warning: their journals say how far they came.
import { readdirSync, rmSync } from 'node:fs'
import { setTimeout as sleep } from 'node:timers/promises'
import { join } from 'node:path'
import { isLive, readJournal, type JournalHead } from '@jolt-gate/engine'
import type { LiveEvent } from '@jolt-gate/core/api'
import { RunRow } from '../database/models.js'
import { brokenWords, RunUnderWay } from './under-way.js'

const GENERATOR = 'generator-process/generator-process'
const LOOK_AGAIN_MS = 200
/** A generator that lost its server stops, drains and tears down; it takes no longer. */
const GONE_WITHIN_MS = 60_000

export const journalOf = (folder: string, id: string): string => join(folder, `${id}.jsonl`)

/** Ends every run that had begun, by its journal; resolves when no generator of before is left. */
export async function recoverRuns(
  folder: string,
  signal: AbortSignal,
  emit: (id: string, event: LiveEvent) => void,
): Promise<void> {
  for (const row of await RunRow.findAll({ where: { state: 'running', reported: null } })) {
    await recoverRun(row, journalOf(folder, row.id), signal, (event) => {
      emit(row.id, event)
    })
    if (!signal.aborted) emit(row.id, { kind: 'end' })
  }
  // A journal without a run that is open is of one that was stored to its end.
  const open = new Set((await RunRow.findAll({ where: { state: ['queued', 'running'] } })).map(({ id }) => id))
  for (const file of readdirSync(folder))
    if (file.endsWith('.jsonl') && !open.has(file.slice(0, -'.jsonl'.length))) rmSync(join(folder, file))
}

async function recoverRun(
  row: RunRow,
  journal: string,
  signal: AbortSignal,
  emit: (event: LiveEvent) => void,
): Promise<void> {
  const head = readJournal(journal)?.head
  if (head === undefined) {
    const reasons = ['the server ended before the load began: run again']
    await row.update({ state: 'ended', verdict: row.verdict ?? 'void', reasons, endedAt: new Date() })
    return
  }
  await untilGone(head, signal)
  if (signal.aborted) return
  const written = readJournal(journal)?.events ?? []
  const { order } = head
  const run = new RunUnderWay({ row, journal, order, secrets: {}, files: new Map(), emit, signal })
  for (const one of written) run.receive(one)
  if (written.some(({ kind }) => kind === 'done')) {
    await run.finish()
    return
  }
  const seconds = written.filter(({ kind }) => kind === 'bucket').length
  // Nobody knows any more what setup had left: teardown cannot be walked.
  const reason = `${brokenWords('the server and the generator of the run', 'were ended', seconds)}; teardown was not done`
  await run.close({ reason, setup: undefined, tearsDown: false })
}

/** The generator that writes the journal may still tear down. */
async function untilGone({ pid }: JournalHead, signal: AbortSignal): Promise<void> {
  const lastMs = performance.now() + GONE_WITHIN_MS
  while (isLive(pid, GENERATOR) && performance.now() < lastMs && !signal.aborted) await sleep(LOOK_AGAIN_MS)
  if (isLive(pid, GENERATOR) && !signal.aborted) process.kill(pid, 'SIGKILL')
}
