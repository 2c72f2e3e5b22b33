// A project on disk: a Git working copy, its plans, targets and shared steps.
import { createHash } from 'node:crypto'
import { readFileSync, realpathSync, statSync } from 'node:fs'
import { readFile, realpath, stat, writeFile } from 'node:fs/promises'
import { dirname, join, sep } from 'node:path'
import { simpleGit, type SimpleGit } from 'simple-git'
import { Problem } from '../http/problems.js'

const MOST_BYTES = 1_100_000
const MOST_FILES = 2000
const READABLE = /\.(gate|steps|target)\.yaml$/
const IN_FULL = /\.(steps\.yaml|target\.yaml|ts|js|json)$/
const DATA = /\.(csv|jsonl|ndjson)$/
const FIRST_ROWS = 20
const MOST_NAMED_BYTES = 16_000_000
const MOST_COMPANION_CHARACTERS = 4_000_000

export interface CommitInfo {
  commit: string | null
  branch: string | null
  dirty: boolean
}

export interface SaveRequest {
  file: string
  text: string
  message: string
  author: { name: string; email: string }
  /** Fingerprint of the text that was edited; a save over something newer is refused. */
  base: string | null
}

export class WorkingCopy {
  private readonly git: SimpleGit

  private constructor(readonly root: string) {
    this.git = simpleGit({ baseDir: root, allowEnvironment: ['GIT_COMMITTER_NAME', 'GIT_COMMITTER_EMAIL'] })
  }

  /** Opens a folder that is the top of a Git working copy. */
  static async open(path: string): Promise<WorkingCopy> {
    const root = await realpath(path).catch(() => undefined)
    if (root === undefined) throw new Problem(400, 'NO_FOLDER', `there is no folder ${path}`)
    const top = await simpleGit(root)
      .revparse(['--show-toplevel'])
      .catch(() => undefined)
    if (top?.trim() !== root)
      throw new Problem(400, 'NO_GIT', `${path} is not the top of a Git working copy: run git init there`)
    return new WorkingCopy(root)
  }

  /** Paths of plans, targets and shared steps, tracked or new, in order. */
  async files(): Promise<string[]> {
    const listed = await this.git.raw([
      'ls-files',
      '-z',
      '--cached',
      '--others',
      '--exclude-standard',
      '--',
      '*.gate.yaml',
      '*.steps.yaml',
      '*.target.yaml',
    ])
    return [...new Set(listed.split('\0').filter((path) => path !== ''))].sort().slice(0, MOST_FILES)
  }

  /** Text of one readable file; undefined when there is none. */
  async read(file: string): Promise<string | undefined> {
    const full = await this.inside(file)
    if (full === undefined) return undefined
    const { size } = await stat(full)
    if (size > MOST_BYTES) throw new Problem(413, 'TOO_LARGE', `${file} is larger than 1 MB`)
    return readFile(full, 'utf8')
  }

  /** Bytes of any file of this copy that a plan may name: data, scripts, schemas, bodies; undefined when there is none. */
  bytes(file: string): Buffer | undefined {
    if (!isInnerPath(file)) return undefined
    try {
      const full = realpathSync(join(this.root, file))
      if (!full.startsWith(this.root + sep) || !statSync(full).isFile() || statSync(full).size > MOST_NAMED_BYTES)
        return undefined
      return readFileSync(full)
    } catch {
      return undefined
    }
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
    const branch = await this.git.revparse(['--abbrev-ref', 'HEAD'])
    return { commit, branch, dirty: !(await this.git.status()).isClean() }
  }

  /** Writes a plan and commits it alone. */
  async save(request: SaveRequest): Promise<CommitInfo> {
    const { file, text, message, author, base } = request
    const before = await this.read(file)
    if (before !== undefined && fingerprint(before) !== base) {
      throw new Problem(
        409,
        'CHANGED',
        `${file} has changed since you opened it; your text is still here: copy it, open the plan again, and put your change in`,
      )
    }
    const full = join(this.root, file)
    if (before === undefined && (await realpath(dirname(full)).catch(() => '')) !== dirname(full)) {
      throw new Problem(400, 'NO_FOLDER', `the folder of ${file} does not exist`)
    }
    await writeFile(full, text)
    await this.git.add(['--', file])
    const isChanged = (await this.git.diff(['--cached', '--name-only', '--', file])) !== ''
    if (isChanged) {
      await this.git
        .env({
          PATH: process.env['PATH'] ?? '',
          HOME: process.env['HOME'] ?? '',
          GIT_COMMITTER_NAME: author.name,
          GIT_COMMITTER_EMAIL: author.email,
        })
        .raw(['commit', '-q', '-m', message, `--author=${author.name} <${author.email}>`, '--', file])
    }
    return this.head()
  }

  /** Absolute path of a readable file of this copy; undefined for anything else. */
  private async inside(file: string): Promise<string | undefined> {
    if (!isReadablePath(file)) return undefined
    const full = await realpath(join(this.root, file)).catch(() => undefined)
    return full?.startsWith(this.root + sep) === true ? full : undefined
  }
}

/** A relative path, without steps upward, of a kind that a project is made of. */
export function isReadablePath(file: string): boolean {
  return READABLE.test(file) && isInnerPath(file)
}

function isInnerPath(file: string): boolean {
  return (
    file.length < 500 &&
    !file.startsWith('/') &&
    !file.split('/').some((part) => part === '..' || part === '.git' || part === '') &&
    !/[\0\n\\]/.test(file)
  )
}

function firstRows(text: string | undefined): string | undefined {
  return text?.split('\n', FIRST_ROWS).join('\n')
}

export function fingerprint(text: string): string {
  return createHash('sha256').update(text).digest('hex').slice(0, 24)
}
