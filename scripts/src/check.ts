// `npm run check`: lint, format, types, imports and the tests that name what the changed files export. What measures a
// load, starts a server or a browser is left to `npm test`.
import { execFileSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { basename, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { execa } from 'execa'
import pLimit from 'p-limit'

const root = fileURLToPath(new URL('../../', import.meta.url))
/** Rooms whose tests only compute; of the others a test is made when it is itself changed. */
const COMPUTING = /^(?:core|web)\/test\/.*\.test\.ts$/
const TEST = /\.test\.ts$/
const EXPORTED = /^export (?:abstract )?(?:async )?(?:const|function\*?|class|interface|type) (\w+)/gm
const AT_ONCE = 2

const changed = linesOf('git', 'diff', '--name-only', 'HEAD')
  .concat(linesOf('git', 'ls-files', '--others', '--exclude-standard'))
  .filter((file) => existsSync(join(root, file)))
const code = changed.filter((file) => /\.(ts|vue|mjs|cjs)$/.test(file))
if (changed.length === 0) console.log('nothing is changed')

const steps: { name: string; command: string[] }[] = []
if (code.length > 0) {
  const tests = [...new Set([...code.filter((file) => TEST.test(file)), ...code.flatMap(testsThatName)])]
  if (tests.length > 0) steps.push({ name: 'tests', command: ['vitest', 'run', ...tests] })
  steps.push(
    { name: 'types', command: ['npm', 'run', '--silent', 'types'] },
    { name: 'imports', command: ['npm', 'run', '--silent', 'rooms'] },
  )
}
const inTypeScript = code.filter((file) => file.endsWith('.ts'))
const other = code.filter((file) => !file.endsWith('.ts'))
if (inTypeScript.length > 0) steps.push({ name: 'lint', command: ['oxlint', ...inTypeScript] })
if (other.length > 0)
  steps.push({
    name: 'lint of the pages',
    command: ['eslint', '--cache', '--cache-location', 'node_modules/.cache/eslint/', ...other],
  })
if (changed.length > 0)
  steps.push({
    name: 'format',
    command: ['prettier', '--check', '--ignore-unknown', '--log-level', 'warn', ...changed],
  })
if (code.some((file) => file.startsWith('web/')))
  steps.push({ name: 'types of the pages', command: ['vue-tsc', '--noEmit', '-p', 'web'] })

const slots = pLimit(AT_ONCE)
const failures = await Promise.all(steps.map((step) => slots(() => fails(step))))
const failed = failures.filter(Boolean).length
console.log(
  `\n${String(steps.length - failed)} passed, ${String(failed)} failed, of ${String(changed.length)} changed files`,
)
process.exitCode = failed === 0 ? 0 : 1

/** Runs a step; what it says is shown where it fails. */
async function fails({ name, command }: { name: string; command: string[] }): Promise<boolean> {
  const began = performance.now()
  const { exitCode, all } = await execa('npx', ['--no-install', ...command], { cwd: root, all: true, reject: false })
  const seconds = ((performance.now() - began) / 1000).toFixed(1)
  console.log(`${exitCode === 0 ? '' : `${all}\n`}# ${name}: ${exitCode === 0 ? 'passed' : 'failed'} in ${seconds} s`)
  return exitCode !== 0
}

function linesOf(program: string, ...words: string[]): string[] {
  return execFileSync(program, words, { cwd: root, encoding: 'utf8' })
    .split('\n')
    .filter((line) => line !== '')
}

/** Tests that name something which a file exports; of a page, all that name the file. */
function testsThatName(file: string): string[] {
  const names = [...readFileSync(join(root, file), 'utf8').matchAll(EXPORTED)].map(([, name = '']) => name)
  const words = names.length === 0 ? [basename(file)] : names
  const found = new RegExp(`\\b(?:${words.map((word) => word.replaceAll('.', '[.]')).join('|')})\\b`)
  return linesOf('git', 'ls-files', 'core/test', 'web/test').filter(
    (test) => COMPUTING.test(test) && found.test(readFileSync(join(root, test), 'utf8')),
  )
}
