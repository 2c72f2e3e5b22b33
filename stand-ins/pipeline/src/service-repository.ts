// The repository of the ferry service: a commit is a version of it, whose settings say which flaws it carries.
import { existsSync, mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { execa } from 'execa'

const SETTINGS = 'settings.json'
/** What the pipeline has worked off, and what is in production. */
const HANDLED = 'refs/pipeline/handled'
const PRODUCTION = 'refs/heads/production'

export interface Version {
  commit: string
  message: string
  /** As the ferry service reads them. */
  flaws: string
}

/** Changes that a new repository begins with, the oldest first. */
export const FIRST_CHANGES: readonly { message: string; flaws: Record<string, number> }[] = [
  { message: 'Show bicycles on the board', flaws: {} },
  { message: 'Index fares by sailing', flaws: {} },
  { message: 'Join fares to the search', flaws: { slowSearch: 20 } },
  { message: 'Fetch the fares of all sailings at once', flaws: {} },
  { message: 'Ferry names on the ticket', flaws: {} },
]

export class ServiceRepository {
  private constructor(private readonly folder: string) {}

  /** Opens the repository; a new one has nothing but its beginning. */
  static async open(folder: string): Promise<ServiceRepository> {
    const repository = new ServiceRepository(folder)
    if (existsSync(join(folder, '.git'))) return repository
    mkdirSync(folder, { recursive: true })
    await repository.git('init', '-q', '-b', 'main')
    await repository.git('config', 'user.name', 'Larkholm Ferries')
    await repository.git('config', 'user.email', 'quay@larkholm.example')
    const first = await repository.commit('The booking service', {})
    await repository.git('update-ref', HANDLED, first)
    return repository
  }

  /** A new version of the service, on main. */
  async commit(message: string, flaws: Record<string, number>): Promise<string> {
    writeFileSync(join(this.folder, SETTINGS), `${JSON.stringify({ message, flaws }, null, 2)}\n`)
    await this.git('add', SETTINGS)
    await this.git('commit', '-q', '-m', message)
    return this.git('rev-parse', 'HEAD')
  }

  /** Versions on main that the pipeline has not worked off, the oldest first. */
  async waiting(): Promise<Version[]> {
    const listed = await this.git('log', '--reverse', '--format=%H %s', `${HANDLED}..main`)
    const versions: Version[] = []
    for (const line of listed.split('\n').filter(Boolean)) {
      const [, commit = '', message = ''] = /^(\S+) (.*)$/.exec(line) ?? []
      const settings: unknown = JSON.parse(await this.git('show', `${commit}:${SETTINGS}`))
      const flaws = typeof settings === 'object' && settings !== null && 'flaws' in settings ? settings.flaws : {}
      versions.push({ commit, message, flaws: JSON.stringify(flaws) })
    }
    return versions
  }

  async markHandled({ commit }: Version): Promise<void> {
    await this.git('update-ref', HANDLED, commit)
  }

  async promote({ commit }: Version): Promise<void> {
    await this.git('update-ref', PRODUCTION, commit)
  }

  /** The commit in production; undefined before the first promotion. */
  async inProduction(): Promise<string | undefined> {
    return this.git('rev-parse', '--verify', '-q', PRODUCTION).catch(() => undefined)
  }

  private async git(...words: string[]): Promise<string> {
    const { stdout } = await execa('git', words, { cwd: this.folder })
    return stdout.trim()
  }
}
