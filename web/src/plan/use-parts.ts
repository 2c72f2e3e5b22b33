// Gates and phases, changed where they are shown: as sentences and on the strip.
import { durationOf, type Edit, type Gate, type Path, type Phase } from '@jolt-gate/core'
import type { Ref } from 'vue'
import type { PlanView } from './plan.worker.js'

interface PartsOptions {
  view: Ref<PlanView | undefined>
  edit: (edit: Edit) => void
  /** The part of the text that begins on a line. */
  pathAt: (line: number) => Path
  /** Shows the part at a path. */
  select: (path: Path) => void
}
const LAST = Number.MAX_SAFE_INTEGER

export function useParts({ view, edit, pathAt, select }: PartsOptions) {
  const pathOf = ({ at }: Gate | Phase) => pathAt(at.line)

  return {
    changeRule: (gate: Gate, rule: string) => {
      edit({ kind: 'set', path: gate.stop === undefined ? pathOf(gate) : [...pathOf(gate), 'rule'], value: rule })
    },
    removeGate: (gate: Gate) => {
      edit({ kind: 'remove', path: pathOf(gate) })
    },
    addGate: (rule: string) => {
      edit({ kind: 'insert', list: ['gates'], index: LAST, value: rule })
    },
    changeLength: (phase: Phase, seconds: number) => {
      edit({
        kind: 'set',
        path: [...pathOf(phase), phase.kind === 'rest' ? 'rest' : 'for'],
        value: durationOf(seconds),
      })
    },
    changeRate: (phase: Phase, from: number, to: number) => {
      const value = phase.kind === 'ramp' ? `${String(from)}/s to ${String(to)}/s` : `${String(to)}/s`
      edit({ kind: 'set', path: [...pathOf(phase), 'rate'], value })
    },
    addJourney: () => {
      const names = new Set(view.value?.plan.journeys.map(({ name }) => name))
      let name = 'visit'
      for (let number = 2; names.has(name); number++) name = `visit ${String(number)}`
      const first = { send: 'GET /', name: `${name}: first`, check: ['status is 200'] }
      edit({ kind: 'set', path: ['journeys', name], value: { steps: [first] } })
      select(['journeys', name])
    },
    addStep: (section: 'setup' | 'teardown') => {
      const value =
        section === 'setup' ? { send: 'POST /sessions', name: 'sign in' } : { send: 'GET /', name: 'tidy up' }
      edit({ kind: 'insert', list: [section], index: LAST, value })
    },
    addPhase: () => {
      const names = new Set(view.value?.plan.load.phases.map(({ name }) => name))
      let name = 'steady'
      for (let number = 2; names.has(name); number++) name = `steady ${String(number)}`
      edit({ kind: 'insert', list: ['load'], index: LAST, value: { phase: name, rate: '5/s', for: '1m' } })
    },
  }
}
