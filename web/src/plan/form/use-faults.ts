// What was typed in the form and is not in the text yet, since it cannot be read: it waits, whatever is looked at
// meanwhile, and counts as a problem of the plan.
import type { Path, Problem } from '@jolt-gate/core'
import { computed, shallowRef, type Ref } from 'vue'

export interface FormFault {
  /** As it was typed. */
  draft: string
  line: number
  message: string
}

export interface FormFaults {
  problems: Ref<Problem[]>
  at: (path: Path) => FormFault | undefined
  put: (path: Path, fault: FormFault | undefined) => void
  clear: () => void
}

export function useFaults(file: Ref<string>): FormFaults {
  const all = shallowRef<ReadonlyMap<string, FormFault>>(new Map())
  const keyOf = (path: Path) => JSON.stringify(path)
  return {
    problems: computed(() =>
      [...all.value.values()].map(({ line, message }): Problem => ({
        ...{ severity: 'error', code: 'FORM', file: file.value, line, column: 1 },
        message,
      })),
    ),
    at: (path) => all.value.get(keyOf(path)),
    put: (path, fault) => {
      const next = new Map(all.value)
      if (fault === undefined) next.delete(keyOf(path))
      else next.set(keyOf(path), fault)
      all.value = next
    },
    clear: () => {
      all.value = new Map()
    },
  }
}
