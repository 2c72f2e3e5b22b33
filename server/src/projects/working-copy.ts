// A project on disk: a Git working copy, its plans, targets and shared steps.
import { createHash } from 'node:crypto'
import { realpath, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { simpleGit, type SimpleGit } from 'simple-git'
import { Problem } from '../http/problem.js'
import { GIT_ENVIRONMENT } from './git-environment.js'
import { Commits, MOST_NAMED_BYTES } from './commits.js'
import { readPlainFile, writePlainFile } from './plain-files.js'
import { mendInterrupted, noteSave, undoSave, type Change } from './interrupted-saves.js'
import { oneAtATime } from './one-at-a-time.js'
import { isInnerPath, isWritablePath } from './paths.js'

const MOST_BYTES = 1_100_000
const MOST_FILES = 2000
const IN_FULL = /\.(steps\.yaml|target\.yaml|ts|js|json)$/
const DATA = /\.(csv|jsonl|ndjson)$/
const FIRST_ROWS = 20
const MOST_COMPANION_CHARACTERS = 4_000_000

export interface CommitInfo {
  commit: string | null
  branch: string | null
  dirty: boolean
}

export interface SavedFile {
  file: string
  text: string
  /** Fingerprint of the text that was edited; a save over something newer is refused. */
  base: string | null
}

export interface SaveRequest {
  files: SavedFile[]
  message: string
  author: Author
}

export interface Author {
  id: number
  name: string
  email: string
}

/** What a project says of changes to its files. */
export interface Keeper {
  /** Whether the branch of its own files goes on by merges alone. */
  isProtected: boolean
  /** Is told of each commit that was made here. */
  committed: (commit: string, author: Author) => Promise<void>
}
/** Of a copy that is only read. */
const NOBODY: Keeper = { isProtected: true, committed: () => Promise.resolve() }

export class WorkingCopy {
  readonly git: SimpleGit
  readonly commits: Commits
  private knownGitFolder: Promise<string> | undefined

  /**
   * @param root - where its files are
   * @param keeper - of the project
   * @param branch - the branch that it shows, of a copy beside the project's own; see branch-copies.ts
   * @param projectRoot - the project's own copy, whose changes and those of its branches are made one at a time
   */
  constructor(
    readonly root: string,
    readonly keeper: Keeper,
    private readonly branch?: string,
    private readonly projectRoot = root,
  ) {
    // Links of a repository are written as the plain files that they are for Git.
    this.git = simpleGit({
      baseDir: root,
      config: ['core.symlinks=false'],
      // Only the operator says where Git finds its settings; no words of a person come before the `--`.
      unsafe: { allowUnsafeConfigPaths: true },
      allowEnvironment: ['GIT_COMMITTER_NAME', 'GIT_COMMITTER_EMAIL', ...Object.keys(GIT_ENVIRONMENT)],
    })
    this.commits = new Commits(this.git, root)
  }

  /** Whether this is the project's own copy, and not that of a branch beside it. */
  get isOwn(): boolean {
    return this.branch === undefined
  }

  /** Does something while nothing else changes the repository, once what was interrupted there is mended. */
  alone<T>(task: () => Promise<T>): Promise<T> {
    return oneAtATime(this.projectRoot, async () => {
      await mendInterrupted(this.root, await this.gitFolder(), this.git)
      try {
        return await task()
      } catch (error) {
        throw brokenIndex(error) ?? error
      }
    })
  }

  private gitFolder(): Promise<string> {
    this.knownGitFolder ??= this.git.revparse(['--absolute-git-dir'])
    return this.knownGitFolder
  }

  /** Opens a folder that is the top of a Git working copy. */
  static async open(path: string, keeper = NOBODY): Promise<WorkingCopy> {
    const root = await realpath(path).catch(() => undefined)
    if (root === undefined) throw new Problem(400, 'NO_FOLDER', `there is no folder ${path}`)
    const top = await simpleGit(root)
      .revparse(['--show-toplevel'])
      .catch(() => undefined)
    if (top?.trim() !== root)
      throw new Problem(400, 'NO_GIT', `${path} is not the top of a Git working copy: run git init there`)
    return new WorkingCopy(root, keeper)
  }

  /** Paths of plans, targets and shared steps, tracked or new, in order. */
  async files(): Promise<string[]> {
    const listed = await this.git.raw(['ls-files', '-z', '--cached', '--others', '--exclude-standard'])
    return [...new Set(listed.split('\0').filter((path) => /\.(?:gate|steps|target)\.yaml$/.test(path)))]
      .sort()
      .slice(0, MOST_FILES)
  }

  /** Text of one readable file; undefined when there is none. */
  read(file: string): Promise<string | undefined> {
    if (!isWritablePath(file)) return Promise.resolve(undefined)
    const bytes = readPlainFile(this.root, file, MOST_BYTES)
    if (bytes === 'too large') throw new Problem(413, 'TOO_LARGE', `${file} is larger than 1 MB`)
    return Promise.resolve(bytes?.toString('utf8'))
  }

  /**
   * Bytes of any file of this copy that a plan may name: data, scripts, schemas, bodies; undefined when there is none.
   */
  bytes(file: string): Buffer | undefined {
    if (!isInnerPath(file)) return undefined
    const bytes = readPlainFile(this.root, file, MOST_NAMED_BYTES)
    return bytes === 'too large' ? undefined : bytes
  }

  /** Text of any file that a plan may name, at once: a plan is read in one go. */
  readonly text = (file: string): string | undefined => this.bytes(file)?.toString('utf8')

  /**
   * What a reader without a disk needs of the other files, by path: steps, targets, scripts and schemas in full, of
   * data the first rows, which name the columns, and of all else that it is there.
   */
  async companions(): Promise<Record<string, string>> {
    const listed = await this.git.raw(['ls-files', '-z', '--cached', '--others', '--exclude-standard'])
    const paths = listed.split('\0').filter((path) => path !== '' && !path.endsWith('.gate.yaml'))
    const companions: Record<string, string> = {}
    let room = MOST_COMPANION_CHARACTERS
    for (const path of [...new Set(paths)].sort().slice(0, MOST_FILES)) {
      const text = IN_FULL.test(path) ? this.text(path) : DATA.test(path) ? firstRows(this.text(path)) : ''
      if (text === undefined || text.length > room) continue
      room -= text.length
      companions[path] = text
    }
    return companions
  }

  async head(): Promise<CommitInfo> {
    const commit = await this.git.revparse(['HEAD']).catch(() => null)
    if (commit === null) return { commit: null, branch: null, dirty: true }
    const branch = this.branch ?? (await this.git.revparse(['--abbrev-ref', 'HEAD']))
    // Reading must not lock out people who work in the same folder with Git: `git status` writes its index otherwise.
    const changes = await this.git.raw(['--no-optional-locks', 'status', '--porcelain'])
    return { commit, branch, dirty: changes !== '' }
  }

  /** Does something that makes a commit on the branch of this copy. */
  private async change<T>(task: () => Promise<T>): Promise<T> {
    if (this.isOwn && this.keeper.isProtected)
      throw new Problem(
        403,
        'PROTECTED',
        'the default branch is protected: make the change on a branch, and have somebody else approve its merge',
      )
    return this.alone(task)
  }

  /** Writes files and commits them alone; when one has changed in the meantime, none is written. */
  save(asked: SaveRequest): Promise<CommitInfo> {
    return this.change(() => this.saveNow(asked))
  }

  private async saveNow({ files, message, author }: SaveRequest): Promise<CommitInfo> {
    for (const { file, base, text } of files) await this.refuseChanged(file, base, text)
    const paths = files.map(({ file }) => file)
    await this.wholly(files, async () => {
      for (const { file, text } of files) await this.write(file, text)
      await this.git.add(['--', ...paths])
      if ((await this.git.diff(['--cached', '--name-only', '--', ...paths])) !== '')
        await this.commit(paths, message, author)
    })
    return this.head()
  }

  /** Writes files and commits them, or leaves them as they were: also where it fails or is killed on the way. */
  private async wholly(
    files: readonly { file: string; text: string | null }[],
    write: () => Promise<void>,
  ): Promise<void> {
    const changes: Change[] = []
    for (const { file, text } of files) changes.push({ file, before: (await this.read(file)) ?? null, after: text })
    const forget = noteSave(await this.gitFolder(), changes)
    try {
      await write()
    } catch (error) {
      await undoSave(this.root, this.git, changes)
      throw error
    } finally {
      forget()
    }
  }

  /** Deletes a file in a commit; Git keeps it. */
  remove(file: string, message: string, author: Author): Promise<CommitInfo> {
    return this.change(async () => {
      await this.existing(file)
      await this.wholly([{ file, text: null }], async () => {
        if (await this.removeFromTree(file)) await this.commit([file], message, author)
      })
      return this.head()
    })
  }

  /**
   * Gives a file another path in a commit; a file that is there already is not written over.
   *
   * @param others - files that name it, with their new texts, in the same commit
   */
  rename(
    file: string,
    to: string,
    { message, author, others = [] }: { message: string; author: Author; others?: { file: string; text: string }[] },
  ): Promise<CommitInfo> {
    return this.change(async () => {
      const text = await this.existing(file)
      await this.refuseChanged(to, null)
      const written = [{ file: to, text }, ...others]
      await this.wholly([...written, { file, text: null }], async () => {
        for (const one of written) await this.write(one.file, one.text)
        const wasKnown = await this.removeFromTree(file)
        const paths = written.map((one) => one.file)
        await this.git.add(['--', ...paths])
        await this.commit(wasKnown ? [file, ...paths] : paths, message, author)
      })
      return this.head()
    })
  }

  private async write(file: string, text: string): Promise<void> {
    if (!(await writePlainFile(this.root, file, text)))
      throw new Problem(400, 'BAD_PATH', `${file} is reached by a link: links are not followed`)
  }

  private async existing(file: string): Promise<string> {
    const text = await this.read(file)
    if (text === undefined) throw new Problem(404, 'NO_FILE', `there is no file ${file} in this project`)
    return text
  }
  /** A file that was never committed is one that Git does not know: it goes from the disk alone. */
  private async removeFromTree(file: string): Promise<boolean> {
    const isKnown = (await this.git.raw(['ls-files', '--', file])) !== ''
    if (isKnown) await this.git.raw(['rm', '--quiet', '--force', '--', file])
    else await rm(join(this.root, file), { force: true })
    return isKnown
  }

  /** @param text - what is to be written: where it stands there already, nothing is lost */
  private async refuseChanged(file: string, base: string | null, text?: string): Promise<void> {
    if (!isWritablePath(file)) throw new Problem(400, 'BAD_PATH', `${file} cannot be written here`)
    const before = await this.read(file)
    if (before === undefined || fingerprint(before) === base || (base !== null && before === text)) return
    throw new Problem(409, 'CHANGED', `${file} changed since you opened it; your text is kept`, {
      current: before,
      base: fingerprint(before),
    })
  }

  private async commit(paths: readonly string[], message: string, author: Author): Promise<void> {
    const { name, email } = author
    const before = this.branch === undefined ? '' : await this.git.revparse(['HEAD'])
    await this.git
      .env({
        PATH: process.env['PATH'] ?? '',
        HOME: process.env['HOME'] ?? '',
        ...GIT_ENVIRONMENT,
        GIT_COMMITTER_NAME: name,
        GIT_COMMITTER_EMAIL: email,
      })
      .raw(['commit', '-q', '-m', message, `--author=${name} <${email}>`, '--', ...paths])
    await this.keeper.committed(await this.git.revparse(['HEAD']), author)
    if (this.branch !== undefined) await this.moveBranch(this.branch, before)
  }

  /** The copy of a branch stands at a commit; the branch follows what was committed there, unless it went elsewhere. */
  private async moveBranch(branch: string, before: string): Promise<void> {
    try {
      await this.git.raw(['update-ref', `refs/heads/${branch}`, 'HEAD', before])
    } catch {
      throw new Problem(409, 'CHANGED', `branch ${branch} moved while you saved; your text is kept: save again`)
    }
  }

  /** Goes on to a later commit of the branch. */
  async forward(to: string): Promise<void> {
    const before = await this.git.revparse(['HEAD'])
    const words = this.isOwn ? ['merge', '-q', '--ff-only', to] : ['checkout', '-q', '--force', '--detach', to]
    await this.git.raw(words).catch((error: unknown) => {
      const said = error instanceof Error ? error.message.trim().slice(0, 300) : ''
      throw new Problem(409, 'CHANGED', `files changed on disk are in the way: ${said}`)
    })
    if (this.branch !== undefined) await this.moveBranch(this.branch, before)
  }

  /** Makes a branch from where this copy stands. */
  async newBranch(name: string): Promise<void> {
    const isRight = await this.git.raw(['check-ref-format', '--branch', name]).then(
      () => true,
      () => false,
    )
    if (!isRight || name.startsWith('-')) throw new Problem(400, 'BAD_NAME', `"${name}" is not a valid branch name`)
    if ((await this.commits.branches()).includes(name)) throw new Problem(409, 'KNOWN', `branch ${name} exists already`)
    await this.alone(() => this.git.raw(['branch', '--no-track', '--', name, 'HEAD']))
  }
}

/** What Git says of an index that it cannot read, with the way to mend it. */
function brokenIndex(error: unknown): Problem | undefined {
  const said = error instanceof Error ? error.message : ''
  if (!/index file (?:corrupt|smaller)|bad index file|bad signature|index uses .* extension/.test(said))
    return undefined
  return new Problem(
    409,
    'GIT_BROKEN',
    'the Git index of this project cannot be read: remove its file .git/index and run git reset there; no commit is lost',
  )
}

function firstRows(text: string | undefined): string | undefined {
  return text?.split('\n', FIRST_ROWS).join('\n')
}

export function fingerprint(text: string): string {
  return createHash('sha256').update(text).digest('hex').slice(0, 24)
}
