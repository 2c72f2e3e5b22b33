// Which branch of each project the person looks at; other people's pages stay.
import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { useBranches } from '../api/client.js'

export const useBranchLookedAt = defineStore('branches', () => {
  const chosen = useLocalStorage<Record<string, string>>('jolt-gate-branches', {})

  /** The branch chosen; undefined for that of the project's own files. */
  function of(project: number): string | undefined {
    return chosen.value[String(project)]
  }
  function look(project: number, branch: string): void {
    chosen.value = { ...chosen.value, [String(project)]: branch }
  }
  function forget(project: number): void {
    chosen.value = Object.fromEntries(Object.entries(chosen.value).filter(([key]) => key !== String(project)))
  }
  useBranches({ of, forget })

  return { of, look, forget }
})
