// Files of projects that are changed on disk, by an editor or Git, and branches that moved: open pages are told, and
// read them anew.
import { basename, join, sep } from 'node:path'
import { watch, type FSWatcher } from 'chokidar'
import { log } from '../observability/log.js'
import { CHANGES } from '../events/changes.js'
import { ProjectRow } from '../database/models.js'

const SETTLED_MS = 200
const MOST_DEEP = 8
const NOT_LOOKED_INTO = new Set(['.git', 'node_modules'])

/** Watches the plans, targets and steps of all projects, those added later too. */
export class ProjectWatch {
  private readonly watchers = new Map<number, FSWatcher>()
  private readonly waiting = new Map<number, NodeJS.Timeout>()

  /** Looks for projects that are not watched yet. */
  async follow(): Promise<void> {
    for (const { id, path } of await ProjectRow.findAll()) if (!this.watchers.has(id)) this.begin(id, path)
  }

  async close(): Promise<void> {
    for (const timer of this.waiting.values()) clearTimeout(timer)
    await Promise.all([...this.watchers.values()].map((watcher) => watcher.close()))
  }

  private begin(id: number, path: string): void {
    // Not always there: in a copy that is a linked one itself, branches that move elsewhere are not seen.
    const branches = join(path, '.git', 'refs', 'heads')
    const watcher = watch([path, branches], {
      ignoreInitial: true,
      followSymlinks: false,
      depth: MOST_DEEP,
      ignored: (one, stats) =>
        one !== branches &&
        !one.startsWith(branches + sep) &&
        (NOT_LOOKED_INTO.has(basename(one)) || (stats?.isFile() === true && !one.endsWith('.yaml'))),
    })
    watcher.on('all', () => {
      this.tellSoon(id)
    })
    // A system watches so many files and no more: pages then hear of such changes when they are looked at again.
    watcher.on('error', (error) => {
      log.warn({ err: error, project: id }, 'the files of the project cannot be watched')
    })
    this.watchers.set(id, watcher)
  }

  /** A checkout changes many files at once. */
  private tellSoon(id: number): void {
    clearTimeout(this.waiting.get(id))
    this.waiting.set(
      id,
      setTimeout(() => CHANGES.emit('project', id), SETTLED_MS),
    )
  }
}
