// What parts of the form are given by their page.
import { shallowRef } from 'vue'
import { vi } from 'vitest'
import { useFaults } from '../src/plan/form/use-faults.js'
import type { PlanForm } from '../src/plan/form/use-form.js'

/** @param over - what the test is about */
export function planForm(over: Partial<PlanForm> = {}): PlanForm {
  const file = over.file ?? shallowRef('a.gate.yaml')
  return {
    file,
    tree: shallowRef(null),
    problems: shallowRef([]),
    faults: useFaults(file),
    around: shallowRef(undefined),
    rehearsed: shallowRef([]),
    observed: shallowRef({}),
    files: shallowRef({}),
    project: shallowRef(1),
    mayWrite: shallowRef(true),
    addFile: vi.fn(),
    readFiles: vi.fn(),
    edit: vi.fn(),
    rename: vi.fn(),
    select: vi.fn(),
    selectPath: vi.fn(),
    ...over,
  }
}
