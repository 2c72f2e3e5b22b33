// `import`: a plan from a recording, a description of a service, a command line of curl, or a URL.
import { existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import {
  importCurl,
  ImportFault,
  importHar,
  importOpenApi,
  importUrl,
  importWsdl,
  kindOf,
  readHar,
  readOpenApi,
  readWsdl,
  usualChoice,
  WAITS,
  type Imported,
} from '@jolt-gate/core'
import { EXIT, UsageError } from './errors.js'
import type { ImportArguments, Output } from './options.js'

const MOST_BYTES = 512_000_000

export function importPlan(what: string, options: ImportArguments, output: Output): number {
  const { text, name } = textOf(what)
  const imported = attempt(() => importedOf(text, options.name ?? name, options))
  const paths = imported.files.map(({ path }) => join(options.folder, path))
  const there = paths.find((path) => existsSync(path))
  if (there !== undefined && !options.force)
    throw new UsageError(`${there} exists already: use another --name, or --force to overwrite it`)
  for (const [index, file] of imported.files.entries()) {
    const path = paths[index] ?? file.path
    mkdirSync(dirname(path), { recursive: true })
    writeFileSync(path, file.text)
  }
  if (!output.quiet) process.stdout.write(report(imported, paths))
  return EXIT.ok
}

function textOf(what: string): { text: string; name: string } {
  if (what === '-') return { text: readFileSync(0, 'utf8'), name: 'Imported' }
  if (/^curl\s|^https?:\/\//.test(what)) return { text: what, name: '' }
  if (!existsSync(what)) throw new UsageError(`${what}: no such file; put a curl command line in quotes`)
  if (statSync(what).size > MOST_BYTES) throw new UsageError(`${what} is larger than 512 MB`)
  return { text: readFileSync(what, 'utf8'), name: basename(what).replace(/\.\w+$/, '') }
}

function importedOf(text: string, name: string, options: ImportArguments): Imported {
  const kind = kindOf(text)
  switch (kind) {
    case 'har': {
      const reading = readHar(text)
      const waits = WAITS.find((one) => one === options.waits) ?? 'around'
      const unknown = options.origins?.find((origin) => !reading.hosts.some((host) => host.origin === origin))
      if (unknown !== undefined)
        throw new UsageError(
          `--origins: the recording has no ${unknown}; it has ${reading.hosts.map(({ origin }) => origin).join(', ')}`,
        )
      return importHar(reading, {
        ...usualChoice(reading, name),
        ...(options.origins === undefined ? {} : { origins: options.origins }),
        waits,
        byPage: options.byPage,
      })
    }
    case 'openapi': {
      const reading = readOpenApi(text)
      const origin = options.origin ?? reading.origins[0]
      if (origin === undefined)
        throw new UsageError('the description names no origin; use --origin http://127.0.0.1:7710')
      const usual = reading.operations.filter(({ isDeprecated }) => !isDeprecated).map(({ id }) => id)
      return importOpenApi(reading, {
        name,
        origin,
        operations:
          chosen(
            options,
            reading.operations.map(({ id }) => id),
          ) ?? usual,
      })
    }
    case 'wsdl': {
      const reading = readWsdl(text)
      const all = reading.operations.map(({ id }) => id)
      return importWsdl(reading, { name, operations: chosen(options, all) ?? all })
    }
    case 'curl':
      return importCurl(text, name)
    case 'url':
      return importUrl(text, name)
    default:
      throw new UsageError('this is not a HAR file, an OpenAPI or WSDL description, a curl command line or a URL')
  }
}

function chosen({ operations }: ImportArguments, all: readonly string[]): string[] | undefined {
  const unknown = operations?.find((id) => !all.includes(id))
  if (unknown !== undefined)
    throw new UsageError(`--operations: there is no "${unknown}"; there are ${all.map((id) => `"${id}"`).join(', ')}`)
  return operations
}

function attempt<T>(work: () => T): T {
  try {
    return work()
  } catch (error) {
    if (error instanceof ImportFault) throw new UsageError(error.message)
    throw error
  }
}

function report({ steps, notes, secrets }: Imported, paths: readonly string[]): string {
  const names = Object.keys(secrets)
  const lines = [
    `${String(steps)} ${steps === 1 ? 'request' : 'requests'}: ${paths.join(', ')}`,
    ...notes.map((note) => `  ${note}`),
    ...(names.length === 0
      ? []
      : [`  secrets were taken out; set ${names.map((name) => `JOLT_SECRET_${name.toUpperCase()}`).join(' and ')}`]),
    `Next: jolt-gate rehearse ${paths[0] ?? ''}`,
  ]
  return `${lines.join('\n')}\n`
}
