// Each room declares what it imports, and nothing that it does not use.
import { execFileSync } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { builtinModules } from 'node:module'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import ts from 'typescript'
import { describe, expect, it } from 'vitest'

const root = fileURLToPath(new URL('../../', import.meta.url))
const ROOMS = ['core', 'engine', 'cli', 'server', 'web', 'stand-ins/ferries', 'scripts']
const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard'], { cwd: root, encoding: 'utf8' })
  .trim()
  .split('\n')
  .filter((file) => /\.(ts|mts|mjs|cjs|js|vue|css|json)$/.test(file) && !file.endsWith('package-lock.json'))
const read = new Map(files.map((file) => [file, readFileSync(join(root, file), 'utf8')]))
const textOf = (file: string) => read.get(file) ?? ''

interface Declared {
  dependencies?: Record<string, string>
  devDependencies?: Record<string, string>
}
const declared = (room: string) => JSON.parse(textOf(join(room, 'package.json'))) as Declared
const namesOf = ({ dependencies = {}, devDependencies = {} }: Declared) =>
  Object.keys(dependencies).concat(Object.keys(devDependencies))

/** The packages that a file imports, by their names. */
function imported(file: string): string[] {
  const text = file.endsWith('.vue') ? (/<script[^>]*>(.*)<\/script>/s.exec(textOf(file))?.[1] ?? '') : textOf(file)
  return ts.preProcessFile(text, true, true).importedFiles.flatMap(({ fileName: path }) => {
    const name = path
      .split('/')
      .slice(0, path.startsWith('@') ? 2 : 1)
      .join('/')
    return path.startsWith('.') || path.startsWith('node:') || builtinModules.includes(name) ? [] : [name]
  })
}

describe('packages', () => {
  it.each(ROOMS)('that %s imports are declared there', (room) => {
    const known = new Set(namesOf(declared(room)))
    const missing = files
      .filter((file) => file.startsWith(`${room}/src/`) && /\.(ts|vue)$/.test(file))
      .flatMap((file) => imported(file).map((name) => ({ file, name })))
      .filter(({ name }) => !known.has(name))

    expect(missing).toEqual([])
  })

  it.each(['', ...ROOMS])('that %s declares are used', (room) => {
    // Tools are named by the scripts of the project, in any room.
    const texts = files.map((file) => textOf(file).replaceAll(/"[^"]+": "\^[^"]+"/g, ''))
    const mentions = (name: string) =>
      // Their commands have other names, or Oxlint finds them by itself.
      ['dependency-cruiser', 'oxlint-tsgolint'].includes(name) ||
      texts.some(
        (text) =>
          text.includes(`'${name}'`) ||
          text.includes(`"${name}"`) ||
          text.includes(`'${name}/`) ||
          text.includes(`${name} `),
      )
    const unused = namesOf(declared(room)).filter((name) => {
      const types = /^@types\/(.+)$/.exec(name)?.[1]
      return types === undefined ? !mentions(name) : types !== 'node' && !mentions(types)
    })

    expect(unused).toEqual([])
  })
})
