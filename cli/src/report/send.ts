// `send`: uploads runs that could not be delivered while they were made. The same run again changes nothing.
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
    const all = reported.seconds.length
    let sent = 0
    const show = progressOf(file, output)
    const reporter = new Reporter(server, reported.begun, reported, (seconds) => {
      sent = seconds
      show(`${String(sent)} of ${String(all)} s delivered`)
    })
    const fault = await reporter.finish(reported.result, WITHIN_MS)
    show()
    if (fault === undefined) {
      if (!output.quiet) process.stdout.write(`${file}: delivered as run ${reported.begun.id}\n`)
      continue
    }
    const far = `${String(sent)} of ${String(all)} s were delivered, in at most ${String(WITHIN_MS / 60_000)} minutes`
    process.stderr.write(`${file}: not delivered: ${fault}; ${far}: send it again\n`)
    code = EXIT.fault
  }
  return code
}

/** Shows how far a file is, on a terminal; nothing wipes it away. */
function progressOf(file: string, { quiet }: Output): (words?: string) => void {
  if (quiet || !process.stderr.isTTY) return () => undefined
  return (words) => {
    process.stderr.write(`\r\x1b[2K${words === undefined ? '' : `${file}: ${words}`}`)
  }
}
