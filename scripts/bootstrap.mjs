// What a fresh clone needs before anything of ours can run: packages from the lock file, then a build.
// Plain JavaScript, because nothing is installed yet.
import { spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

export const root = fileURLToPath(new URL('..', import.meta.url))

// As core/src/identity.ts says it to those who have it installed.
const [major, minor] = process.versions.node.split('.').map(Number)
if (major < 20 || (major === 20 && minor < 19)) {
  process.stderr.write(`Node.js ${process.versions.node} is too old: install 20.19 or a later one\n`)
  process.exit(2)
}

/** Runs a command in the project; ends the process when it fails. */
export function step(command, args, { quiet = false } = {}) {
  const { status } = spawnSync(command, args, { cwd: root, stdio: quiet ? ['ignore', 'ignore', 'inherit'] : 'inherit' })
  if (status !== 0) process.exit(status ?? 1)
}

/** Installs the packages of the lock file, when it has changed since they were installed. */
export function installPackages() {
  const lock = createHash('sha256')
    .update(readFileSync(`${root}package-lock.json`))
    .digest('hex')
  const mark = `${root}node_modules/.jolt-gate-lock`
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return
  process.stdout.write('installing packages\n')
  step('npm', ['ci', '--no-fund', '--no-audit'], { quiet: true })
  writeFileSync(mark, lock)
}

/** Builds every room: the grammar, TypeScript, and the pages. */
export function build() {
  process.stdout.write('building\n')
  step('node', ['core/scripts/grammar.mjs'])
  // The compiler that is a program of its own; tools that look into types have the one before it, as `typescript`.
  const rooms = ['cli', 'server', 'stand-ins/ferries', 'stand-ins/pipeline', 'scripts']
  step('node', ['node_modules/typescript-native/bin/tsc', '--build', ...rooms])
  step('node', ['cli/scripts/bundle.mjs'])
  step('node', ['cli/scripts/schemas.mjs'])
  step('node', ['cli/scripts/types.mjs'])
  step('npx', ['--no-install', 'vite', 'build', 'web', '--logLevel', 'warn'])
  step('node', ['scripts/sbom.mjs'])
}
