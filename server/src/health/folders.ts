// The folders that the server needs: whether they can be written to, their room, and the age of the last backup.
import { readdir, rm, stat, statfs, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { Gauge } from 'prom-client'
import { FIGURES } from '../observability/metrics.js'

export interface Folders {
  runs: string
  projects: string | undefined
  /** Where backups are put; undefined where nobody said. */
  backups: string | undefined
}

/** Enough for what is under way to be ended and stored. */
export const LEAST_FREE_BYTES = 500e6
/** Of a backup that is made every night, with two hours to spare. */
const OLD_BACKUP_MS = 26 * 3_600_000
const CODES: Record<string, string> = {
  ENOENT: 'is not there',
  ENOTDIR: 'is no folder',
  EACCES: 'is forbidden to the server',
  EPERM: 'is forbidden to the server',
  EROFS: 'can only be read',
  ENOSPC: 'is on a full disk',
  EDQUOT: 'is over its quota',
}

const FREE = new Gauge({
  name: 'jolt_gate_folder_free_bytes',
  help: 'Room that is left for a folder of the server',
  labelNames: ['folder'],
  registers: [FIGURES],
})
const WRITABLE = new Gauge({
  name: 'jolt_gate_folder_writable',
  help: 'Whether a folder of the server can be written to: 1, or 0',
  labelNames: ['folder'],
  registers: [FIGURES],
})
const BACKUP_AGE = new Gauge({
  name: 'jolt_gate_backup_age_seconds',
  help: 'Age of the last backup, where the server knows where backups are',
  registers: [FIGURES],
})

export interface FolderState {
  /** Of those without which nothing can be made or saved, in words. */
  faults: string[]
  /** Of those that have too little room left. */
  full: string[]
  /** What an operator should know, though the server serves. */
  warnings: string[]
}

/** Looks at the folders, and keeps what it sees for the figures. */
export async function lookAtFolders(
  { runs, projects, backups }: Folders,
  now = Date.now(),
  leastFree = LEAST_FREE_BYTES,
): Promise<FolderState> {
  const faults: string[] = []
  const full: string[] = []
  for (const [name, path] of [
    ['runs', runs],
    ['projects', projects],
  ] as const) {
    if (path === undefined) continue
    const fault = await faultOf(path)
    WRITABLE.set({ folder: name }, fault === undefined ? 1 : 0)
    if (fault !== undefined) faults.push(`the folder of ${name} ${fault}`)
    const free = await freeBytesOf(path)
    if (free === undefined) continue
    FREE.set({ folder: name }, free)
    if (free < leastFree)
      full.push(`the folder of ${name} has ${megabytes(free)} left, less than ${megabytes(leastFree)}`)
  }
  return { faults, full, warnings: backups === undefined ? [] : await backupWarnings(backups, now) }
}

/** Why a folder cannot be written to. It is tried: a disk that can only be read refuses whoever has all rights, too. */
async function faultOf(path: string): Promise<string | undefined> {
  const file = join(path, `.jolt-gate-${String(process.pid)}`)
  try {
    await writeFile(file, 'x', { mode: 0o600 })
    await rm(file, { force: true })
    return undefined
  } catch (error) {
    const code = error instanceof Error && 'code' in error ? String(error.code) : 'a fault'
    return CODES[code] ?? `cannot be written to (${code})`
  }
}

async function freeBytesOf(path: string): Promise<number | undefined> {
  try {
    const { bavail, bsize } = await statfs(path)
    return bavail * bsize
  } catch {
    return undefined
  }
}

async function backupWarnings(path: string, now: number): Promise<string[]> {
  const age = await backupAgeMs(path, now)
  if (age === undefined) {
    BACKUP_AGE.set(Infinity)
    return ['there is no backup']
  }
  BACKUP_AGE.set(Math.round(age / 1000))
  return age > OLD_BACKUP_MS ? [`the last backup is ${String(Math.floor(age / 3_600_000))} h old`] : []
}

/** Of the newest file; one that is being written, or is empty, is no backup. */
async function backupAgeMs(path: string, now: number): Promise<number | undefined> {
  let newest: number | undefined
  const entries = await readdir(path, { withFileTypes: true }).catch(() => [])
  for (const entry of entries) {
    if (!entry.isFile() || entry.name.startsWith('.') || entry.name.endsWith('.part')) continue
    const found = await stat(join(path, entry.name)).catch(() => undefined)
    if (found !== undefined && found.size > 0) newest = Math.max(newest ?? 0, found.mtimeMs)
  }
  return newest === undefined ? undefined : now - newest
}

const megabytes = (bytes: number): string => `${String(Math.floor(bytes / 1e6))} MB`
