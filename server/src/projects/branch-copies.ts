// Branches beside the one that a project's own files are at: each has a copy of its own, so that people may look at
// different branches at once, each on a page of its own. A copy stands at its branch's commit without holding the
// branch, so that Git in a terminal may switch to it and pushes to it go through.
import { createHash } from 'node:crypto'
import { existsSync, readdirSync, statSync, utimesSync } from 'node:fs'
import { rm } from 'node:fs/promises'
import { resolve, join } from 'node:path'
import { Problem } from '../http/problem.js'
import { WorkingCopy } from './working-copy.js'

/** Copies of a project; the one that was not looked at the longest makes room. */
const MOST_COPIES = 50

/** The working copy that shows a branch: the project's own where that is at it. */
export async function copyOfBranch(own: WorkingCopy, branch: string): Promise<WorkingCopy> {
  if ((await own.head()).branch === branch) return own
  const tip = await own.git.raw(['rev-parse', '--verify', '-q', `refs/heads/${branch}^{commit}`]).catch(() => '')
  if (tip === '') throw new Problem(404, 'NO_BRANCH', `there is no branch ${branch}`)
  const place = join(await folderOf(own), createHash('sha256').update(branch).digest('hex').slice(0, 16))
  return own.alone(async () => {
    if (!existsSync(join(place, '.git'))) await makeCopy(own, place, tip.trim())
    try {
      await follow(new WorkingCopy(place, own.keeper, branch, own.root), tip.trim())
    } catch {
      // Git was killed there in the middle of something.
      await removeCopy(own, place)
      await makeCopy(own, place, tip.trim())
    }
    return new WorkingCopy(place, own.keeper, branch, own.root)
  })
}

async function folderOf({ git, root }: WorkingCopy): Promise<string> {
  return join(resolve(root, (await git.revparse(['--git-common-dir'])).trim()), 'jolt-gate-branches')
}

/** It gets its name when it is whole: one that was cut off while it was made is not taken for a copy. */
async function makeCopy(own: WorkingCopy, place: string, tip: string): Promise<void> {
  await makeRoom(own, resolve(place, '..'))
  const making = `${place}-making`
  await removeCopy(own, making)
  await own.git.raw(['worktree', 'add', '-q', '--force', '--force', '--detach', making, tip])
  await own.git.raw(['worktree', 'move', making, place])
}

async function removeCopy({ git }: WorkingCopy, place: string): Promise<void> {
  await rm(place, { recursive: true, force: true })
  await git.raw(['worktree', 'prune'])
}

/** Brings a copy to where its branch is: pushes and other people may have moved it. */
async function follow({ root, git }: WorkingCopy, tip: string): Promise<void> {
  const now = new Date()
  utimesSync(root, now, now)
  const at = await git.revparse(['HEAD']).catch(() => '')
  if (at.trim() !== tip) await git.raw(['checkout', '-q', '--force', '--detach', tip])
}

async function makeRoom(own: WorkingCopy, folder: string): Promise<void> {
  const copies = existsSync(folder) ? readdirSync(folder).map((name) => join(folder, name)) : []
  const oldest = copies.sort((one, other) => statSync(one).mtimeMs - statSync(other).mtimeMs)
  for (const place of oldest.slice(0, Math.max(0, copies.length - MOST_COPIES + 1))) await removeCopy(own, place)
}
