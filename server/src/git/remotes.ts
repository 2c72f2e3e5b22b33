// The remote of a project: where its branches are pulled from and pushed to.
import { ProjectRow, RemoteRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { refuseUnapproved } from '../merges/merge.js'
import type { WorkingCopy } from '../projects/working-copy.js'
import { open, seal, type SealKey } from '../targets/seal.js'
import { gitOverNetwork, type Source } from '../projects/git-over-network.js'

export const placeOfRemote = (projectId: number) => `project ${String(projectId)}, password of the remote`

export class RemoteStore {
  constructor(private readonly key: SealKey | undefined) {}

  /** Its address and whether a password is kept for it; undefined where there is none. */
  async of(projectId: number): Promise<{ url: string; hasPassword: boolean } | undefined> {
    const row = await RemoteRow.findByPk(projectId)
    return row === null ? undefined : { url: row.url, hasPassword: row.sealed !== null }
  }

  /** Refuses a password that could not be kept sealed. */
  refuseUnsealed({ credential }: Source): void {
    if (credential !== undefined && this.key === undefined)
      throw new Problem(409, 'NO_KEY', 'no key for passwords: start the server with --key-file, or set JOLT_GATE_KEY')
  }

  async write(projectId: number, source: Source): Promise<void> {
    this.refuseUnsealed(source)
    const { url, credential } = source
    const sealed =
      this.key === undefined || credential === undefined ? null : seal(this.key, placeOfRemote(projectId), credential)
    await RemoteRow.upsert({ projectId, url, sealed })
  }

  async remove(projectId: number): Promise<void> {
    await RemoteRow.destroy({ where: { projectId } })
  }

  /** Takes the commits of the remote's branch of the same name, where ours has none of its own; returns how many. */
  async pull(projectId: number, copy: WorkingCopy): Promise<number> {
    const source = await this.sourceOf(projectId)
    const branch = await branchOf(copy)
    const theirs = `refs/remotes/jolt-gate/${branch}`
    return copy.alone(async () => {
      const words = ['fetch', '-q', '--no-tags', '--no-recurse-submodules', '--', source.url]
      await gitOverNetwork(source, [...words, `+refs/heads/${branch}:${theirs}`], copy.root)
      const count = await between(copy, 'HEAD', theirs)
      if (count > 0 && (await between(copy, theirs, 'HEAD')) > 0)
        throw new Problem(409, 'DIVERGED', `${branch} has commits here and at the remote: merge them with Git`)
      if (count > 0) await forward(projectId, copy, theirs)
      return count
    })
  }

  /** Gives our commits to the remote's branch of the same name; returns how many. */
  async push(projectId: number, copy: WorkingCopy): Promise<number> {
    const source = await this.sourceOf(projectId)
    const branch = await branchOf(copy)
    return copy.alone(async () => {
      const at = `refs/heads/${branch}`
      const listed = await gitOverNetwork(source, ['ls-remote', '--', source.url, at], copy.root)
      const before = listed.split('\t')[0] ?? ''
      const isKnown = before === '' || (await copy.git.raw(['cat-file', '-t', before]).catch(() => '')) !== ''
      const count = isKnown ? await between(copy, before, 'HEAD') : 0
      if (!isKnown || (before !== '' && (await between(copy, 'HEAD', before)) > 0))
        throw new Problem(409, 'DIVERGED', `the remote has commits on ${branch} that are not here: pull first`)
      if (count > 0) await gitOverNetwork(source, ['push', '-q', '--', source.url, `${at}:${at}`], copy.root)
      return count
    })
  }

  private async sourceOf(projectId: number): Promise<Source> {
    const row = await RemoteRow.findByPk(projectId)
    if (row === null) throw new Problem(409, 'NO_REMOTE', 'this project has no remote: an administrator can set one')
    if (row.sealed === null) return { url: row.url, credential: undefined }
    const credential = this.key === undefined ? undefined : open(this.key, placeOfRemote(projectId), row.sealed)
    if (credential === undefined)
      throw new Problem(
        409,
        'WRONG_KEY',
        'the password of the remote was encrypted with another key: set the remote again',
      )
    return { url: row.url, credential }
  }
}

/** What others merged elsewhere is held to the rule of this project, too. */
async function forward(projectId: number, copy: WorkingCopy, to: string): Promise<void> {
  const project = await ProjectRow.findByPk(projectId, { rejectOnEmpty: true })
  if (copy.isOwn) {
    const [from, tip] = await Promise.all([copy.git.revparse(['HEAD']), copy.git.revparse([to])])
    await refuseUnapproved(project, copy, from, tip)
  }
  await copy.forward(to)
}

async function branchOf(copy: WorkingCopy): Promise<string> {
  const { branch, commit } = await copy.head()
  if (branch === null || branch === 'HEAD' || commit === null)
    throw new Problem(409, 'NO_BRANCH', 'the files of this project are at no branch: switch to one with Git')
  return branch
}

/** Commits of the second that the first does not hold; all of them where there is no first. */
async function between({ git }: WorkingCopy, first: string, second: string): Promise<number> {
  const range = first === '' ? [second] : [`${first}..${second}`]
  return Number(await git.raw(['rev-list', '--count', ...range]))
}
