// A plan that is imported goes against the target that is there already for its origin.
import { readTarget } from '@jolt-gate/core'
import type { TargetLine } from '@jolt-gate/core/api'
import { describe, expect, it } from 'vitest'
import { aimedAt } from '../src/import/same-target.js'

const lineOf = (name: string, text: string): TargetLine => ({
  ...{ name, file: `targets/${name}.target.yaml`, text, base: 'b', problems: [], secrets: [], isLoopback: true },
  target: readTarget(`targets/${name}.target.yaml`, text).target ?? null,
  fault: null,
})
const HARBOUR = lineOf('harbour', 'origin: http://127.0.0.1:7710\nsecrets: [user]\n')
const plan = (target: string) => ({ path: 'plans/a.gate.yaml', text: `jolt: 1\nname: A\ntarget: ${target}\n` })
const own = (secret: string) => ({
  path: 'targets/a.target.yaml',
  text: `origin: http://127.0.0.1:7710\nsecrets: [${secret}]\n`,
})

describe('an imported plan', () => {
  it('takes the target of its origin instead of the address, or of a target of its own', () => {
    expect(aimedAt([plan('http://127.0.0.1:7710')], [HARBOUR])).toEqual({
      ...{ files: [plan('harbour')], target: 'harbour', lacks: [], valued: [] },
    })
    const body = { path: 'data/body.json', text: '{}' }
    expect(aimedAt([plan('a'), own('user'), body], [HARBOUR]).files).toEqual([plan('harbour'), body])
  })

  it('has one of its own where none has its origin, or the one that has it lacks a secret', () => {
    expect(aimedAt([plan('http://127.0.0.1:9')], [HARBOUR])).toMatchObject({ target: undefined, lacks: [] })
    const files = [plan('a'), own('pass')]
    expect(aimedAt(files, [HARBOUR])).toEqual({ files, target: undefined, lacks: ['pass'], valued: [] })
  })

  it('writes over no secret that the target has', () => {
    const stored: TargetLine = { ...HARBOUR, secrets: [{ name: 'user', from: 'store' }] }
    expect(aimedAt([plan('a'), own('user')], [stored]).valued).toEqual(['user'])
  })
})
