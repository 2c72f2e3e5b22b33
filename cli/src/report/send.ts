// `send`: hands in runs that could not be delivered while they were made. The same run again changes nothing.
import { EXIT } from '../errors.js'
import type { Output } from '../options.js'
import { readReported } from './kept.js'
import { Reporter } from './reporter.js'
import { Server } from './server.js'

const WITHIN_MS = 300_000

/** @returns the exit code: 0 where all of them were delivered */
export async function send(files: readonly string[], to: string, output: Output): Promise<number> {
  const server = Server.at(to, process.env['JOLT_TOKEN'])
  const runs = files.map((file) => ({ file, reported: readReported(file) }))
  let code: number = EXIT.ok
  for (const { file, reported } of runs) {
    const fault = await new Reporter(server, reported.begun, reported).finish(reported.result, WITHIN_MS)
    if (fault === undefined) {
      if (!output.quiet) process.stdout.write(`${file}: delivered as run ${reported.begun.id}\n`)
      continue
    }
    process.stderr.write(`${file}: not delivered: ${fault}\n`)
    code = EXIT.fault
  }
  return code
}
