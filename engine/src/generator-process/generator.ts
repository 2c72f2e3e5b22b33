// A generator as its coordinator sees it: a child process that makes one run.
import { fork } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import type { FromGenerator, GeneratorOrder, ToGenerator } from './generator-protocol.js'

export interface Generator {
  /** Stops the load within a second; teardown is still done. */
  stop(by: string): void
  /** Resolves when the process is gone: how it died, or undefined when its work was done. */
  ended: Promise<string | undefined>
}

const ENTRY = 'generator-process/generator-process'
/** Of the environment, what a program needs to find and trust what is around it; keys and secrets stay here. */
const INHERITED = [
  ...['PATH', 'HOME', 'TZ', 'LANG', 'TMPDIR', 'NODE_EXTRA_CA_CERTS', 'SSL_CERT_FILE', 'SSL_CERT_DIR'],
  ...['JOLT_GATE_CLOSED_PORTS', 'JOLT_GATE_TEST_BUNDLE'],
]

/**
 * Starts a generator with its order.
 *
 * @param order - the run that it is to make
 * @param onMessage - told of what it says, as it comes
 */
export function startGenerator(order: GeneratorOrder, onMessage: (message: FromGenerator) => void): Generator {
  const isSource = import.meta.url.endsWith('.ts')
  const file = new URL(isSource ? '../threads/from-sources.mjs' : './generator-process.js', import.meta.url)
  const child = fork(fileURLToPath(file), [ENTRY], {
    serialization: 'advanced',
    execArgv: isSource ? ['--conditions=jolt-gate-source'] : [],
    env: environment(),
  })
  let isDone = false
  const send = (message: ToGenerator) => {
    // One that is gone hears nothing: that it is gone is told below.
    if (child.connected) child.send(message, () => undefined)
  }
  child.on('message', (message: FromGenerator) => {
    onMessage(message)
    if (message.kind !== 'done') return
    isDone = true
    send({ kind: 'heard' })
  })
  send(order)
  const ended = new Promise<string | undefined>((resolve) => {
    child.once('error', (error) => {
      resolve(`could not be started: ${error.message}`)
    })
    // Not `exit`: messages may still be on their way then.
    child.once('close', (code, signal) => {
      resolve(isDone ? undefined : `ended ${signal === null ? `with exit code ${String(code)}` : `by ${signal}`}`)
    })
  })
  return {
    ended,
    stop(by) {
      send({ kind: 'stop', by })
    },
  }
}

const environment = () => Object.fromEntries(INHERITED.map((name) => [name, process.env[name]]))
