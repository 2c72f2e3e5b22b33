// Every request of a run as a row of a compressed CSV file.
import { mkdir, open } from 'node:fs/promises'
import { dirname } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { createGzip } from 'node:zlib'
import { SAMPLE_COLUMNS } from '@jolt-gate/engine'
import { UsageError } from './errors.js'

/** A file of more rows cannot be opened by most tools, and disks are finite. */
const MOST_ROWS = 5_000_000

export interface Samples {
  /** Takes some rows; each says of which run it is. */
  take: (text: string, count: number) => void
  /** Resolves when all is written; what went wrong, in words. */
  close(): Promise<string[]>
}

/** Opens the file; one that cannot be written is refused before anything is sent. */
export async function openSamples(file: string): Promise<Samples> {
  if (!file.endsWith('.csv.gz')) throw new UsageError('--requests: the file is compressed, so its name ends in .csv.gz')
  const written = await mkdir(dirname(file), { recursive: true })
    .then(() => open(file, 'w'))
    .catch((error: unknown) => {
      throw new UsageError(`${file} cannot be written: ${wordsOf(error)}`)
    })
  const zip = createGzip()
  let left = MOST_ROWS
  let fault: string | undefined
  const done = pipeline(zip, written.createWriteStream()).catch((error: unknown) => {
    fault = `${file} cannot be written: ${wordsOf(error)}`
  })
  zip.write(`${SAMPLE_COLUMNS.join(',')}\r\n`)
  return {
    take(text, count) {
      if (left <= 0 || fault !== undefined) return
      left -= count
      zip.write(text)
      if (left <= 0) process.stderr.write(`${file} holds ${String(MOST_ROWS)} requests: further ones are left out\n`)
    },
    async close() {
      zip.end()
      await done
      return fault === undefined ? [] : [fault]
    },
  }
}

const wordsOf = (error: unknown) => (error instanceof Error ? error.message : String(error))
