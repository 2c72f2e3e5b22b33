// The journal of a run: what its generator told, written down before it is told, so that a run outlives the one who
// listens. One line of JSON for each; a line that was cut, by a kill or a full disk, is none.
import { closeSync, existsSync, fstatSync, fsyncSync, openSync, readFileSync, writeSync } from 'node:fs'
import { base64OfBytes, bytesOfBase64, withoutRows } from '@jolt-gate/core'
import type { RunOrder, GeneratorEvent } from './generator-protocol.js'

/** What stands at its head. */
export interface JournalHead {
  kind: 'run'
  order: RunOrder
  /** The process that writes it. */
  pid: number
}

export class Journal {
  private readonly file: number

  /** Opens a journal to write at its end. */
  constructor(path: string) {
    this.file = openSync(path, 'a', 0o600)
    // What follows a line that was cut begins one of its own.
    if (fstatSync(this.file).size > 0) writeSync(this.file, '\n')
  }

  begin(order: RunOrder): void {
    const head: JournalHead = { kind: 'run', order: { ...order, plan: withoutRows(order.plan) }, pid: process.pid }
    this.line(head)
  }

  write(event: GeneratorEvent): void {
    this.line(event.kind === 'bucket' ? { ...event, bytes: base64OfBytes(event.bytes) } : event)
  }

  close(): void {
    fsyncSync(this.file)
    closeSync(this.file)
  }

  private line(value: unknown): void {
    writeSync(this.file, `${JSON.stringify(value, infinityAsText)}\n`)
  }
}

/** Reads a journal; undefined where there is none, or not even its head. */
export function readJournal(path: string): { head: JournalHead; events: GeneratorEvent[] } | undefined {
  if (!existsSync(path)) return undefined
  const [head, ...rest] = readFileSync(path, 'utf8').split('\n').flatMap(parsedLine)
  // Nobody but this file writes journals, in a folder that is the application's own.
  if (head === undefined) return undefined
  return { head: head as JournalHead, events: rest.map(eventOf) }
}

function parsedLine(line: string): unknown[] {
  try {
    return [JSON.parse(line, textAsInfinity)]
  } catch {
    return []
  }
}

function eventOf(line: unknown): GeneratorEvent {
  const event = line as GeneratorEvent
  return event.kind === 'bucket' ? { ...event, bytes: bytesOfBase64(String(event.bytes)) } : event
}

/** JSON has no infinity, and plans do: a cap that is none, a timeout that never comes. */
const INFINITY = '\u0000infinity'
const infinityAsText = (_key: string, value: unknown) => (value === Infinity ? INFINITY : value)
const textAsInfinity = (_key: string, value: unknown) => (value === INFINITY ? Infinity : value)
