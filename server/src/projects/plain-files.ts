// Files of a working copy, read and written without following a link: what is in a repository is not to be trusted.
import { constants, closeSync, fstatSync, openSync, readFileSync, realpathSync } from 'node:fs'
import { lstat, mkdir, open, realpath, rename, rm } from 'node:fs/promises'
import { randomUUID } from 'node:crypto'
import { dirname, join } from 'node:path'

const { O_CREAT, O_EXCL, O_NOFOLLOW, O_RDONLY, O_WRONLY } = constants

/**
 * The bytes of a file; undefined when there is none, when it is no plain file, or when a link stands in its path.
 *
 * @param root - the folder, itself without a link in its path
 * @param most - larger files are refused
 * @returns `too large` for one that is
 */
export function readPlainFile(root: string, file: string, most: number): Buffer | 'too large' | undefined {
  const full = join(root, file)
  let handle: number | undefined
  try {
    if (realpathSync(full) !== full) return undefined
    handle = openSync(full, O_RDONLY | O_NOFOLLOW)
    const { size } = fstatSync(handle)
    if (!fstatSync(handle).isFile()) return undefined
    return size > most ? 'too large' : readFileSync(handle)
  } catch {
    return undefined
  } finally {
    if (handle !== undefined) closeSync(handle)
  }
}

/**
 * Writes a file in full or not at all: beside it first, then in its place. A full disk leaves what was there.
 *
 * @returns false when a link stands in its path
 */
export async function writePlainFile(root: string, file: string, text: string): Promise<boolean> {
  const full = join(root, file)
  const folder = dirname(full)
  if (!(await isPlainPath(folder)) || !(await isPlainPath(full))) return false
  await mkdir(folder, { recursive: true })
  if (!(await isPlainPath(folder))) return false
  const beside = join(folder, `.${randomUUID()}.tmp`)
  try {
    const handle = await open(beside, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW, 0o644)
    try {
      await handle.writeFile(text)
      await handle.sync()
    } finally {
      await handle.close()
    }
    await rename(beside, full)
    return true
  } finally {
    await rm(beside, { force: true })
  }
}

/** Whether no link stands in a path, as far as it is there. */
async function isPlainPath(path: string): Promise<boolean> {
  for (let part = path; ; part = dirname(part)) {
    const real = await realpath(part).catch((error: unknown) => (isAbsent(error) ? undefined : null))
    if (real !== undefined) return real === part && (part === path || !(await isDangling(path, part)))
    if (dirname(part) === part) return false
  }
}

/** A link that leads nowhere is not there for `realpath`, but would be followed by the one who writes. */
async function isDangling(path: string, upTo: string): Promise<boolean> {
  for (let part = path; part !== upTo; part = dirname(part)) {
    const found = await lstat(part).catch(() => undefined)
    if (found !== undefined) return true
  }
  return false
}

const isAbsent = (error: unknown): boolean =>
  typeof error === 'object' && error !== null && 'code' in error && error.code === 'ENOENT'
