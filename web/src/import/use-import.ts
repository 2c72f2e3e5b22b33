// What is being imported: read in a worker, made again whenever a choice changes.
import type { Imported } from '@jolt-gate/core'
import { onBeforeUnmount, shallowRef } from 'vue'
import type { EntryLine, ImportChoice, ImportEvent, ImportRequest } from './import.worker.js'
import ImportWorker from './import.worker.js?worker'

type What = Extract<ImportEvent, { kind: 'read' }>['what']
interface Offered {
  what: What
  hosts: { origin: string; requests: number }[]
  operations: { id: string; summary: string }[]
}
export interface ReadyImport extends Offered {
  kind: 'made'
  imported: Imported | undefined
  entries: EntryLine[]
  /** Why the last choice could not be made; what was made before it stays. */
  fault: string
}
export type ImportState =
  { kind: 'empty' } | { kind: 'reading'; share: number; words: string } | { kind: 'fault'; words: string } | ReadyImport

// eslint-disable-next-line max-lines-per-function -- its parts share what they keep
export function useImport() {
  const state = shallowRef<ImportState>({ kind: 'empty' })
  const choice = shallowRef<ImportChoice>()
  let worker: Worker | undefined
  let number = 0

  function begin(): Worker {
    worker?.terminate()
    worker = new ImportWorker()
    worker.onmessage = ({ data }: MessageEvent<ImportEvent>) => {
      if (data.number === number) hear(data)
    }
    return worker
  }
  const ask = (request: ImportRequest) => worker?.postMessage(request)

  function hear(event: ImportEvent): void {
    const now = state.value
    switch (event.kind) {
      case 'progress':
        state.value = { kind: 'reading', share: event.share, words: event.words }
        return
      case 'read':
        choice.value = event.choice
        state.value = {
          kind: 'made',
          imported: undefined,
          entries: [],
          fault: '',
          what: event.what,
          hosts: event.hosts,
          operations: event.operations,
        }
        make()
        return
      case 'made':
        if (now.kind === 'made') state.value = { ...now, imported: event.imported, entries: event.entries, fault: '' }
        return
      case 'fault':
        state.value = now.kind === 'made' ? { ...now, fault: event.words } : { kind: 'fault', words: event.words }
        return
      default:
        event satisfies never
    }
  }

  function read(source: File | string, name: string): void {
    begin()
    state.value = { kind: 'reading', share: 0, words: 'loading' }
    ask({ kind: 'read', number: ++number, source, name })
  }
  function make(): void {
    // A choice that the page holds is reactive; the worker gets a plain copy.
    if (choice.value !== undefined) ask({ kind: 'make', number: ++number, choice: structuredClone(choice.value) })
  }
  function choose(part: Partial<ImportChoice>): void {
    if (choice.value === undefined) return
    choice.value = { ...choice.value, ...part }
    make()
  }
  /** Stops whatever is running, at once. */
  function cancel(): void {
    worker?.terminate()
    worker = undefined
    number++
    state.value = { kind: 'empty' }
  }
  onBeforeUnmount(() => worker?.terminate())

  return { state, choice, choose, read, cancel }
}
