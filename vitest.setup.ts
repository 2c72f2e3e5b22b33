// Before any test: what is generated is generated anew where its source is newer, so that no test reads a stale file.
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { TestProject } from 'vitest/node'
import { startMariaDb } from './scripts/src/mariadb.js'

const root = fileURLToPath(new URL('.', import.meta.url))

/** Projects whose tests start servers: they share a MariaDB, each server with a database of its own. */
const WITH_DATABASE = ['server', 'security', 'pipelines', 'reported', 'cli-untimed']

declare module 'vitest' {
  interface ProvidedContext {
    mariaDbSocket: string
  }
}

export default async function setup(project: TestProject): Promise<(() => Promise<void>) | undefined> {
  if (isStale('core/grammar/sentences.js', ['core/grammar/sentences.peggy']))
    execFileSync(process.execPath, ['core/scripts/grammar.mjs'], { cwd: root, stdio: 'inherit' })
  // The command as it is published; the engine's threads in it start far sooner than from sources.
  const isBundled = process.env['JOLT_GATE_TEST_BUNDLE'] !== undefined
  if (!isBundled && !['core', 'web', 'scripts', 'pages-speed'].includes(project.name)) {
    const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-bundle-'))
    execFileSync(process.execPath, ['cli/scripts/bundle.mjs', folder], { cwd: root, stdio: 'inherit' })
    process.env['JOLT_GATE_TEST_BUNDLE'] = folder
    process.on('exit', () => {
      rmSync(folder, { recursive: true, force: true })
    })
  }
  if (WITH_DATABASE.includes(project.name)) {
    const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-database-'))
    const database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
    project.provide('mariaDbSocket', database.socketPath)
    return async () => {
      await database.stop()
      rmSync(folder, { recursive: true, force: true })
    }
  }
  if (!project.name.startsWith('e2e')) return undefined
  if (isStale('web/dist/index.html', ['web/src', 'web/index.html', 'web/vite.config.ts', 'core/src', 'core/grammar']))
    execFileSync('npx', ['--no-install', 'vite', 'build', 'web', '--logLevel', 'warn'], { cwd: root, stdio: 'inherit' })
  return undefined
}

function isStale(made: string, sources: readonly string[]): boolean {
  if (!existsSync(root + made)) return true
  const madeAt = statSync(root + made).mtimeMs
  return sources.some((source) => newest(root + source) > madeAt)
}

/** When a file, or the newest file of a folder, was changed. */
function newest(path: string): number {
  if (!statSync(path).isDirectory()) return statSync(path).mtimeMs
  return Math.max(0, ...readdirSync(path).map((name) => newest(`${path}/${name}`)))
}
