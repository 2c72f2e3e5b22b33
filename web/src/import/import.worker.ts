// Reads what is to be imported, and makes the files of a plan, away from the page.
import {
  ImportFault,
  importCurl,
  importHar,
  importOpenApi,
  importUrl,
  importWsdl,
  kindOf,
  leftOutOf,
  readHar,
  readOpenApi,
  readWsdl,
  usualChoice,
  type ApiReading,
  type HarChoice,
  type HarReading,
  type Imported,
  type WsdlReading,
  MOST_HAR_BYTES,
} from '@jolt-gate/core'

export type ImportRequest =
  | { kind: 'read'; number: number; source: File | string; name: string }
  | { kind: 'make'; number: number; choice: ImportChoice }

export interface ImportChoice {
  name: string
  origins: string[]
  turned: number[]
  waits: HarChoice['waits']
  byPage: boolean
  origin: string
  operations: string[]
}
export interface EntryLine {
  number: number
  method: string
  url: string
  status: number
  leftOut: string
}
export type ImportEvent = { number: number } & (
  | { kind: 'progress'; share: number; words: string }
  | {
      kind: 'read'
      what: 'har' | 'openapi' | 'wsdl' | 'curl' | 'url'
      choice: ImportChoice
      hosts: { origin: string; requests: number }[]
      operations: { id: string; summary: string }[]
    }
  | { kind: 'made'; imported: Imported; entries: EntryLine[] }
  | { kind: 'fault'; words: string }
)

type ImportReading =
  | { kind: 'har'; har: HarReading }
  | { kind: 'openapi'; api: ApiReading }
  | { kind: 'wsdl'; wsdl: WsdlReading }
  | { kind: 'curl' | 'url'; text: string }
let reading: ImportReading | undefined

const MOST_ENTRIES_SHOWN = 1000

self.onmessage = ({ data }: MessageEvent<ImportRequest>) => {
  const post = (event: Record<string, unknown>) => self.postMessage({ ...event, number: data.number })
  answer(data, post).catch((error: unknown) =>
    post({
      kind: 'fault',
      words:
        error instanceof ImportFault
          ? error.message
          : `it could not be read: ${error instanceof Error ? error.message : String(error)}`,
    }),
  )
}

async function answer(request: ImportRequest, post: (event: Record<string, unknown>) => void): Promise<void> {
  if (request.kind === 'read') {
    const { source, name } = request
    const text = typeof source === 'string' ? source : await textOf(source, post)
    post({ kind: 'progress', share: 1, words: 'reading what is in it' })
    reading = readingOf(text)
    post({ kind: 'read', what: reading.kind, ...offersOf(reading, name) })
    return
  }
  if (reading === undefined) return
  post({ kind: 'made', imported: made(reading, request.choice), entries: entriesOf(reading, request.choice) })
}

/** The text of a file, told as it comes in. */
async function textOf(file: File, post: (event: Record<string, unknown>) => void): Promise<string> {
  if (file.size > MOST_HAR_BYTES) throw new ImportFault('the file is larger than 512 MB')
  const reader = file.stream().pipeThrough(new TextDecoderStream()).getReader()
  const parts: string[] = []
  let length = 0
  for (;;) {
    const { done, value } = await reader.read()
    if (done) return parts.join('')
    parts.push(value)
    length += value.length
    post({ kind: 'progress', share: Math.min(1, length / Math.max(1, file.size)), words: 'loading the file' })
  }
}

function readingOf(text: string): ImportReading {
  const kind = kindOf(text)
  switch (kind) {
    case 'har':
      return { kind, har: readHar(text) }
    case 'openapi':
      return { kind, api: readOpenApi(text) }
    case 'wsdl':
      return { kind, wsdl: readWsdl(text) }
    case 'curl':
    case 'url':
      return { kind, text }
    default:
      throw new ImportFault('this is not a HAR file, an OpenAPI or WSDL description, a curl command line or a URL')
  }
}

function offersOf(found: ImportReading, name: string) {
  const blank: ImportChoice = {
    name,
    origins: [],
    turned: [],
    waits: 'around',
    byPage: true,
    origin: '',
    operations: [],
  }
  switch (found.kind) {
    case 'har':
      return {
        choice: { ...blank, ...usualChoice(found.har, name), turned: [] },
        hosts: found.har.hosts,
        operations: [],
      }
    case 'openapi': {
      const { operations, origins, title } = found.api
      const usual = operations.filter(({ isDeprecated }) => !isDeprecated).map(({ id }) => id)
      return {
        choice: { ...blank, name: title, origin: origins[0] ?? 'http://127.0.0.1:7710', operations: usual },
        hosts: [],
        operations: operations.map(({ id, summary }) => ({ id, summary })),
      }
    }
    case 'wsdl': {
      const operations = found.wsdl.operations.map(({ id, name: summary }) => ({ id, summary }))
      return {
        choice: { ...blank, name: found.wsdl.name, operations: operations.map(({ id }) => id) },
        hosts: [],
        operations,
      }
    }
    default:
      return { choice: blank, hosts: [], operations: [] }
  }
}

function made(found: ImportReading, choice: ImportChoice): Imported {
  switch (found.kind) {
    case 'har':
      return importHar(found.har, { ...choice, turned: new Set(choice.turned) })
    case 'openapi':
      return importOpenApi(found.api, choice)
    case 'wsdl':
      return importWsdl(found.wsdl, choice)
    case 'curl':
      return importCurl(found.text, choice.name)
    case 'url':
      return importUrl(found.text, choice.name)
    default:
      return found satisfies never
  }
}

function entriesOf(found: ImportReading, choice: ImportChoice): EntryLine[] {
  if (found.kind !== 'har') return []
  const turned = new Set(choice.turned)
  return found.har.entries.slice(0, MOST_ENTRIES_SHOWN).map((entry) => ({
    number: entry.number,
    method: entry.request.method,
    url: entry.request.url.href,
    status: entry.status,
    leftOut: leftOutOf(entry, { origins: choice.origins, turned }) ?? '',
  }))
}
