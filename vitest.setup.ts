// Before any test: what is generated is generated anew where its source is newer, so that no test reads a stale file.
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { TestProject } from 'vitest/node'

const root = fileURLToPath(new URL('.', import.meta.url))

export default function setup(project: TestProject): void {
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
  if (project.name !== 'e2e') return
  if (isStale('web/dist/index.html', ['web/src', 'web/index.html', 'web/vite.config.ts', 'core/src', 'core/grammar']))
    execFileSync('npx', ['--no-install', 'vite', 'build', 'web', '--logLevel', 'warn'], { cwd: root, stdio: 'inherit' })
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
