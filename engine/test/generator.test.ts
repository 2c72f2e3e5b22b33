// A generator as a process: what it tells, and its journal.
import { appendFileSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { readPlan } from '@jolt-gate/core'
import { readJournal, startGenerator, type FromGenerator } from '@jolt-gate/engine'
import { Journal } from '../src/generator-process/journal.js'
import { startFerries, type Ferries } from '@jolt-gate/stand-in-ferries'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-generator-'))
let ferries: Ferries
beforeAll(async () => {
  ferries = await startFerries()
})
afterAll(async () => {
  await ferries.stop()
  rmSync(folder, { recursive: true, force: true })
})

async function generate(journal: string): Promise<{ told: FromGenerator[]; died: string | undefined }> {
  const text = `jolt: 1\nname: G\ntarget: ${ferries.origin}\nsetup:\n  - send: GET /health\n    keep: { secret ticket: json $.status }\njourneys:\n  a:\n    steps:\n      - send: GET /health\nload:\n  - { phase: p, rate: 20/s, for: 2s }\n`
  const { plan, target } = readPlan('g.gate.yaml', text, { files: () => undefined })
  if (target === undefined) throw new Error('the plan of the test is not right')
  const identity = {
    id: 'g',
    tool: 'test',
    plan: { name: 'G', file: 'g.gate.yaml', commit: null, branch: null, dirty: false, seed: 1 },
  }
  const order = { plan, target, identity, calibration: null }
  const told: FromGenerator[] = []
  const { ended } = startGenerator({ kind: 'run', order, journal, secrets: {}, files: new Map() }, (one) => {
    told.push(one)
  })
  return { told, died: await ended }
}

describe('a generator', () => {
  it('writes down all that it tells, but what setup kept', async () => {
    const journal = join(folder, 'g.jsonl')
    const { told, died } = await generate(journal)

    expect(died).toBeUndefined()
    const written = readJournal(journal)
    expect(written?.events.map(({ kind }) => kind)).toEqual(
      told.map(({ kind }) => kind).filter((kind) => kind !== 'setup'),
    )
    expect(written?.events.filter(({ kind }) => kind === 'bucket').length).toBeGreaterThanOrEqual(2)
    expect(written?.events.findLast((one) => one.kind === 'result')).toEqual(
      told.findLast((one) => one.kind === 'result'),
    )
  })

  it('reads a journal in which a line was cut without that line, also when another one wrote on', () => {
    const journal = join(folder, 'g.jsonl')
    const before = readJournal(journal)
    appendFileSync(journal, '{"kind":"bucket","second":')
    expect(readJournal(journal)).toEqual(before)

    const next = new Journal(journal)
    next.write({ kind: 'state', state: 'teardown' })
    next.close()

    expect(readJournal(journal)?.events).toEqual([...(before?.events ?? []), { kind: 'state', state: 'teardown' }])
  })

  it('makes its run also where the disk for its journal is full', async () => {
    const { told, died } = await generate('/dev/full')

    expect(died).toBeUndefined()
    expect(told.filter(({ kind }) => kind === 'no journal')).toHaveLength(1)
    expect(told.findLast((one) => one.kind === 'result')?.result.verdict).toBe('open')
  })
})
