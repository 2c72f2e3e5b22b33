// What a save leaves behind that was killed in its middle: the lock of Git's index, and files that were written and not
// committed. Both are mended before the next change.
import { existsSync, readdirSync, readFileSync, readlinkSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import type { SimpleGit } from 'simple-git'
import { array, object, string } from 'yup'
import { log } from '../observability/log.js'
import { isWritablePath } from './paths.js'
import { readPlainFile, writePlainFile } from './plain-files.js'

const NOTE = 'jolt-gate-save.json'
const MOST_BYTES = 1_100_000
const STARTED_MS = Date.now() - process.uptime() * 1000

/** A file before and after a change; null where there is none. */
export interface Change {
  file: string
  before: string | null
  after: string | null
}

const CHANGES = array(
  object({
    file: string().required(),
    before: string().defined().nullable(),
    after: string().defined().nullable(),
  }).required(),
).required()

/** Notes what is about to be written; gives what forgets it. */
export function noteSave(gitFolder: string, changes: readonly Change[]): () => void {
  const note = join(gitFolder, NOTE)
  writeFileSync(note, JSON.stringify(changes), { mode: 0o600 })
  return () => {
    rmSync(note, { force: true })
  }
}

/** Puts files back as they were before, unless somebody else has changed them since. */
export async function undoSave(root: string, git: SimpleGit, changes: readonly Change[]): Promise<void> {
  for (const { file, before, after } of changes) {
    const bytes = readPlainFile(root, file, MOST_BYTES)
    const now = bytes instanceof Buffer ? bytes.toString('utf8') : null
    if (bytes === 'too large' || now !== after || now === before) continue
    if (before === null) rmSync(join(root, file))
    else await writePlainFile(root, file, before)
  }
  await git.raw(['reset', '-q', '--', ...changes.map(({ file }) => file)]).catch(() => undefined)
}

/** Mends what a server that was killed has left in a working copy. */
export async function mendInterrupted(root: string, gitFolder: string, git: SimpleGit): Promise<void> {
  removeStaleLock(root, join(gitFolder, 'index.lock'))
  const note = join(gitFolder, NOTE)
  if (!existsSync(note)) return
  const changes = changesIn(note).filter(({ file }) => isWritablePath(file))
  const paths = changes.map(({ file }) => file)
  const isCommitted = paths.length === 0 || (await git.raw(['status', '--porcelain', '--', ...paths])) === ''
  if (!isCommitted) await undoSave(root, git, changes)
  rmSync(note, { force: true })
  log.warn({ root, files: paths, isCommitted }, 'a save had been interrupted: it is finished or undone')
}

/** Of a note that was cut itself nothing had been written yet. */
function changesIn(note: string): readonly Change[] {
  try {
    return CHANGES.validateSync(JSON.parse(readFileSync(note, 'utf8')))
  } catch {
    return []
  }
}

/** A lock from before this process that no Git of this folder holds any more. */
function removeStaleLock(root: string, lock: string): void {
  const madeMs = statSync(lock, { throwIfNoEntry: false })?.mtimeMs
  if (madeMs === undefined || madeMs >= STARTED_MS || isGitIn(root)) return
  rmSync(lock, { force: true })
  log.warn({ lock }, 'removed a lock of Git that a process which is gone had left')
}

/**
 * Whether some Git works in a folder: a person may be writing the message of a commit. Those of this process only read
 * now: what writes comes one after another.
 */
function isGitIn(root: string): boolean {
  return readdirSync('/proc').some((pid) => {
    if (!/^\d+$/.test(pid)) return false
    try {
      const isGit = readFileSync(`/proc/${pid}/comm`, 'utf8').startsWith('git')
      return isGit && parentOf(pid) !== process.pid && `${readlinkSync(`/proc/${pid}/cwd`)}/`.startsWith(`${root}/`)
    } catch {
      return false
    }
  })
}

/** proc_pid_stat(5): the fourth field, after the name in brackets and the state. */
const parentOf = (pid: string): number =>
  Number(
    readFileSync(`/proc/${pid}/stat`, 'utf8')
      .replace(/^.*\) /s, '')
      .split(' ')[1],
  )
