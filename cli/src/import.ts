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
  MOST_HAR_BYTES,
} from '@jolt-gate/core'
import { EXIT, UsageError } from './errors.js'
import type { ImportArguments, Output } from './options.js'

const MOST_DESCRIPTION_BYTES = 16_000_000
const READ_WITHIN_MS = 10_000

export async function importPlan(what: string, options: ImportArguments, output: Output): Promise<number> {
  const { text, name, from } = await textOf(what)
  const imported = attempt(() =>
    importedOf(text, options.name ?? name, { ...options, origin: options.origin ?? from?.origin }),
  )
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

interface Source {
  text: string
  name: string
  /** Where it was read, when that was a URL. */
  from?: URL
}

async function textOf(what: string): Promise<Source> {
  if (what === '-') return { text: readFileSync(0, 'utf8'), name: 'Imported' }
  if (/^curl\s/.test(what)) return { text: what, name: '' }
  if (URL.canParse(what) && /^https?:/.test(what))
    return (await readDescription(new URL(what))) ?? { text: what, name: '' }
  if (!existsSync(what)) throw new UsageError(`${what}: no such file; put a curl command line in quotes`)
  if (statSync(what).size > MOST_HAR_BYTES) throw new UsageError(`${what} is larger than 512 MB`)
  return { text: readFileSync(what, 'utf8'), name: basename(what).replace(/\.\w+$/, '') }
}

/** The description of a service that a URL leads to; undefined where there is something else, or nothing. */
async function readDescription(url: URL): Promise<Source | undefined> {
  try {
    const response = await fetch(url, { redirect: 'error', signal: AbortSignal.timeout(READ_WITHIN_MS) })
    const pieces: Uint8Array[] = []
    let size = 0
    for await (const piece of response.body ?? []) {
      pieces.push(piece)
      size += piece.length
      if (size > MOST_DESCRIPTION_BYTES) return undefined
    }
    const text = Buffer.concat(pieces).toString('utf8')
    const kind = response.ok ? kindOf(text) : undefined
    return kind === 'openapi' || kind === 'wsdl' ? { text, name: '', from: url } : undefined
  } catch {
    return undefined
  }
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
