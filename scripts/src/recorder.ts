// A demo of its own in which runs are made to be kept: service, database and server in a folder that goes with it.
import { execFileSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { fileURLToPath } from 'node:url'
import { startChild, type Child } from './children.js'
import { DEMO_ENVIRONMENT, demoSession, prepareDemo, untilNoneGoes, type Ask } from './demo.js'
import { startMariaDb, type MariaDb } from './mariadb.js'
import { root } from './stage.js'

/** Runs with flaws and without, that findings are tested on. */
export const RECORDED_FINDINGS = fileURLToPath(new URL('../recorded/findings.jsonl.gz', import.meta.url))

export interface RecordedRun {
  run: Record<string, unknown>
  result: Record<string, unknown>
  /** Bytes of each second as base64, in order. */
  buckets: string[]
}

export interface RunPart {
  stopAfterMs?: number
  /** Flaws that come while the run lasts. */
  later?: { afterMs: number; flaws: Record<string, unknown> } | undefined
}

export class Recorder {
  private constructor(
    readonly demo: string,
    private readonly folder: string,
    private readonly database: MariaDb,
    private readonly ferries: Child,
    private readonly server: Child,
    private readonly ask: Ask,
  ) {}

  /** @param options - of the service, as its command line takes them */
  static async start(options: readonly string[] = []): Promise<Recorder> {
    const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-record-'))
    const database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
    const ferries = await startChild([join(root, 'stand-ins/ferries/dist/main.js'), ...options])
    const demo = join(folder, 'larkholm-ferries')
    prepareDemo(join(root, 'demo'), demo, { harbour: ferries.origin, staging: ferries.origin })
    const server = await startChild(
      [
        join(root, 'server/dist/main.js'),
        ...['--socket', database.socketPath, '--database-user', database.user],
        ...['--project', demo, '--runs-folder', join(folder, 'runs'), '--demo'],
      ],
      DEMO_ENVIRONMENT,
    )
    return new Recorder(demo, folder, database, ferries, server, await demoSession(server.origin))
  }

  addPlan(file: string, text: string): void {
    writeFileSync(join(this.demo, file), text)
    execFileSync('git', ['add', '-A'], { cwd: this.demo })
    execFileSync('git', ['commit', '-q', '-m', `Add ${file}`], { cwd: this.demo })
  }

  async setFlaws(flaws: Record<string, unknown>): Promise<void> {
    const answer = await fetch(`${this.ferries.origin}/admin/flaws`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(flaws),
    })
    if (!answer.ok) throw new Error(await answer.text())
  }

  /** Makes one run to its end. */
  async run(plan: string, { stopAfterMs, later }: RunPart = {}): Promise<RecordedRun> {
    const { ask, server } = this
    const post = { method: 'POST', headers: { 'content-type': 'application/json' } }
    const body = JSON.stringify({ plan })
    const { id } = await ask<{ id: string }>(`${server.origin}/api/projects/1/runs`, { ...post, body })
    if (stopAfterMs !== undefined) {
      await sleep(stopAfterMs)
      await ask(`${server.origin}/api/runs/${id}/stop`, { ...post, body: '{}' })
    }
    if (later !== undefined) {
      await sleep(later.afterMs)
      await this.setFlaws(later.flaws)
    }
    await untilNoneGoes(server.origin, ask)
    const detail = await ask<Record<string, unknown>>(`${server.origin}/api/runs/${id}`)
    const result = await ask<Record<string, unknown>>(`${server.origin}/api/runs/${id}/result.json`)
    const {
      plan: read,
      shape,
      ...run
    } = { ...detail, result: undefined, baseline: undefined, marks: undefined } as Record<string, unknown>
    return { run: { ...run, plan: read, shape }, result, buckets: await this.bucketsOf(id) }
  }

  async stop(): Promise<void> {
    for (const part of [this.server, this.ferries, this.database]) await part.stop()
    rmSync(this.folder, { recursive: true, force: true })
  }

  /** The seconds of a run, as its stream tells them. */
  private async bucketsOf(id: string): Promise<string[]> {
    const text = await this.ask<string>(`${this.server.origin}/api/runs/${id}/stream`, {}, 'text')
    return text
      .split('\n\n')
      .filter((event) => /^event: ?bucket$/m.test(event))
      .map((event) => JSON.parse(/^data: ?(.*)$/m.exec(event)?.[1] ?? '""') as string)
  }
}
