// What Git knows of the commits and branches of a repository. Nothing here changes any.
import { execFileSync } from 'node:child_process'
import type { CommitLine } from '@jolt-gate/core/api'
import type { SimpleGit } from 'simple-git'
import { isInnerPath } from './paths.js'

/** The largest file that a plan may name. */
export const MOST_NAMED_BYTES = 16_000_000
const MOST_AT_COMMIT = 200
const MOST_OF_BRANCH = 50_000
const SHOW_WITHIN_MS = 5000

/** The one who reports a run names its change: what is no commit could be an option. */
const COMMIT = /^[0-9a-f]{7,64}$/

/** A commit as lists name it. */
export type NamedCommit = Omit<CommitLine, 'runs'>

export class Commits {
  constructor(
    private readonly git: SimpleGit,
    private readonly root: string,
  ) {}

  async branches(): Promise<string[]> {
    const listed = await this.git.raw([
      'for-each-ref',
      '--format=%(refname:short)',
      '--sort=-committerdate',
      'refs/heads',
    ])
    return listed.split('\n').filter((name) => name !== '')
  }

  /** Where each branch stands. */
  async tips(): Promise<{ branch: string; commit: string }[]> {
    const listed = await this.git.raw(['for-each-ref', '--format=%(objectname) %(refname:short)', 'refs/heads'])
    return listed.split('\n').flatMap((line) => {
      const [, commit, branch] = /^(\S+) (.+)$/.exec(line) ?? []
      return commit === undefined || branch === undefined ? [] : [{ branch, commit }]
    })
  }

  /** Commits that changed a file, the newest first. */
  async history(file: string, most: number): Promise<NamedCommit[]> {
    if (!(await this.hasAny())) return []
    const listed = await this.git.raw(['log', `--max-count=${String(most)}`, `--format=${LINE}`, '--', file])
    return linesOf(listed)
  }

  /** For each commit of `heads`, the first of `commits` (newest first) that it holds. */
  async holdersOf(commits: readonly string[], heads: readonly string[]): Promise<Map<string, string>> {
    const found = new Map<string, string>()
    for (const head of heads.filter((one) => COMMIT.test(one)).slice(0, 100)) {
      const held = await this.git.raw(['rev-list', '--max-count=2000', head]).catch(() => '')
      const ancestors = new Set(held.split('\n'))
      const holder = commits.find((commit) => ancestors.has(commit))
      if (holder !== undefined) found.set(head, holder)
    }
    return found
  }

  /** Paths of files at a commit, in order. */
  async filesAt(commit: string, ending: string): Promise<string[]> {
    if (!(await this.hasAny())) return []
    const listed = await this.git.raw(['ls-tree', '-r', '-z', '--name-only', commit]).catch(() => '')
    return listed.split('\0').filter((path) => path.endsWith(ending))
  }

  /** The commit that is meant by its first characters; undefined where there is none, or not one alone. */
  async commitOf(start: string): Promise<string | undefined> {
    if (!COMMIT.test(start)) return undefined
    const found = await this.git.raw(['rev-parse', '--verify', '-q', `${start}^{commit}`]).catch(() => '')
    return found.trim() === '' ? undefined : found.trim()
  }

  /** The commit that the project's own files stand at, which is that of the default branch. */
  async tip(): Promise<string | undefined> {
    const found = await this.git.raw(['rev-parse', '--verify', '-q', 'HEAD^{commit}']).catch(() => '')
    return found.trim() === '' ? undefined : found.trim()
  }

  /** Whether the default branch stands at a commit, or has stood there: what came in beside it by a merge is not. */
  async isOnDefaultBranch(commit: string): Promise<boolean> {
    const full = await this.commitOf(commit)
    if (full === undefined) return false
    const listed = await this.git.raw(['rev-list', '--first-parent', `--max-count=${String(MOST_OF_BRANCH)}`, 'HEAD'])
    return listed.split('\n').includes(full)
  }

  /** The last change of a file, seen from a commit. */
  async lastChangeOf(file: string, commit: string): Promise<NamedCommit | undefined> {
    if (!COMMIT.test(commit)) return undefined
    const listed = await this.git.raw(['log', '--max-count=1', `--format=${LINE}`, commit, '--', file]).catch(() => '')
    return linesOf(listed)[0]
  }

  /** The ancestors of a commit, the nearest first; none where it is not known here. */
  async ancestorsOf(commit: string, most: number): Promise<string[]> {
    if (!COMMIT.test(commit)) return []
    const listed = await this.git.raw(['rev-list', `--max-count=${String(most)}`, commit, '--']).catch(() => '')
    return listed.split('\n').filter((one) => one !== '' && one !== commit)
  }

  /** What is known of some commits; those that are not here are left out. */
  async named(commits: readonly string[]): Promise<NamedCommit[]> {
    const known = commits.filter((commit) => COMMIT.test(commit))
    if (known.length === 0) return []
    const listed = await this.git
      .raw(['log', '--no-walk=unsorted', '--ignore-missing', `--format=${LINE}`, ...known, '--'])
      .catch(() => '')
    return linesOf(listed)
  }

  /**
   * Reads files as they are at a commit, at once: a plan is read in one go. Each is read a single time, and no more of
   * them than anybody has: the one who writes a repository may name as many as fit.
   */
  readerAt(commit: string): (file: string) => string | undefined {
    const texts = new Map<string, string | undefined>()
    return (file) => {
      if (!isInnerPath(file) || (texts.size >= MOST_AT_COMMIT && !texts.has(file))) return undefined
      if (!texts.has(file)) texts.set(file, showAt(this.root, commit, file))
      return texts.get(file)
    }
  }

  /** Text of a file at a commit; undefined when it was not there. */
  async readAt(file: string, commit: string): Promise<string | undefined> {
    if (commit !== 'HEAD' && !COMMIT.test(commit)) return undefined
    return this.git.raw(['show', `${commit}:${file}`]).catch(() => undefined)
  }

  private hasAny(): Promise<boolean> {
    return this.git.revparse(['HEAD']).then(
      () => true,
      () => false,
    )
  }
}

function showAt(root: string, commit: string, file: string): string | undefined {
  try {
    return execFileSync('git', ['show', `${commit}:${file}`], {
      cwd: root,
      encoding: 'utf8',
      maxBuffer: MOST_NAMED_BYTES,
      timeout: SHOW_WITHIN_MS,
      stdio: ['ignore', 'pipe', 'ignore'],
    })
  } catch {
    return undefined
  }
}

/** How Git tells of a commit in one line. */
const LINE = '%H%x00%aI%x00%an%x00%s'
const linesOf = (listed: string): NamedCommit[] =>
  listed.split('\n').flatMap((line) => {
    const [commit = '', at = '', who = '', message = ''] = line.split('\0')
    return commit === '' ? [] : [{ commit, at, who, message }]
  })
