// Processes of the engine: what they make outlives the one who asked for it, by as long as it takes to clear up.
import { fork, type ChildProcess } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

type Entry = 'generator-process/generator-process' | 'rehearse/rehearsal-process'

/** Of the environment, what a program needs to find and trust what is around it; keys and secrets stay here. */
const INHERITED = [
  ...['PATH', 'HOME', 'TZ', 'LANG', 'TMPDIR', 'NODE_EXTRA_CA_CERTS', 'SSL_CERT_FILE', 'SSL_CERT_DIR'],
  ...['JOLT_GATE_CLOSED_PORTS', 'JOLT_NETWORKS', 'JOLT_GATE_TEST_BUNDLE'],
]

/**
 * Starts a process, from the built files or, in tests and while developing, from the sources. Messages to it are cloned
 * as to a thread.
 *
 * @param entry - the module to run, as `room/name-process`
 * @param mostMb - of its heap; by default as much as Node.js gives
 */
export function startChild(entry: Entry, { mostMb }: { mostMb?: number } = {}): ChildProcess {
  const isSource = import.meta.url.endsWith('.ts')
  const file = new URL(isSource ? './from-sources.mjs' : `../${entry}.js`, import.meta.url)
  return fork(fileURLToPath(file), [entry], {
    serialization: 'advanced',
    execArgv: [
      ...(isSource ? ['--conditions=jolt-gate-source'] : []),
      ...(mostMb === undefined ? [] : [`--max-old-space-size=${String(mostMb)}`]),
    ],
    env: Object.fromEntries(INHERITED.map((name) => [name, process.env[name]])),
  })
}

/** How a process ended, in words, once all that it said has come. */
export function endOf(child: ChildProcess): Promise<string> {
  return new Promise((resolve) => {
    child.once('error', (error) => {
      resolve(`could not be started: ${error.message}`)
    })
    // Not `exit`: messages may still be on their way then.
    child.once('close', (code, signal) => {
      resolve(`ended ${signal === null ? `with exit code ${String(code)}` : `by ${signal}`}`)
    })
  })
}

/** Whether a process is still what was started so; its number may be another's by now. */
export function isLive(pid: number, entry: Entry): boolean {
  const commandLine = `/proc/${String(pid)}/cmdline`
  try {
    return existsSync(commandLine) && readFileSync(commandLine, 'utf8').includes(entry)
  } catch {
    return false
  }
}
