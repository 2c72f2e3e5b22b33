// Whether the server is ready: its database answers, and its folders can be written to.
import { setTimeout as sleep } from 'node:timers/promises'
import { QueryTypes } from 'sequelize'
import { RunRow } from '../database/models.js'
import { lookAtFolders, type Folders, type FolderState } from './folders.js'

/** What stands still is not there, and whoever asks waits no longer. */
const WITHIN_MS = 1500
/** Anybody may ask: one look serves all who ask at a time. */
const KEPT_MS = 2000

export class Readiness {
  private last: { look: Promise<FolderState>; atMs: number } | undefined
  private isLooking = false

  constructor(private readonly folders: Folders) {}

  /** What keeps the server from its work, and what an operator should know beside. */
  async look(): Promise<{ faults: string[]; warnings: string[] }> {
    const late = <T>(value: T) => sleep(WITHIN_MS, value, { ref: false })
    const [isDatabase, { faults, full, warnings }] = await Promise.all([
      Promise.race([isDatabaseThere(), late(false)]),
      Promise.race([this.lookAtFolders(), late({ faults: ['the folders do not answer'], full: [], warnings: [] })]),
    ])
    return { faults: [...(isDatabase ? [] : ['the database does not answer']), ...faults, ...full], warnings }
  }

  /** Also sets the figures. */
  lookAtFolders(): Promise<FolderState> {
    const nowMs = performance.now()
    // A disk that stands still is waited for once, however often it is asked.
    if (this.last === undefined || (!this.isLooking && nowMs - this.last.atMs > KEPT_MS)) {
      this.isLooking = true
      const look = lookAtFolders(this.folders).finally(() => (this.isLooking = false))
      this.last = { look, atMs: nowMs }
    }
    return this.last.look
  }
}

async function isDatabaseThere(): Promise<boolean> {
  try {
    await RunRow.sequelize?.query('SELECT 1', { type: QueryTypes.SELECT })
    return true
  } catch {
    return false
  }
}
