// What the person who is signed in may do in the project that they look at.
import { computed, reactive } from 'vue'
import { useProjects } from './projects.js'
import { useSession } from './session.js'

/** @param project - its number */
export function useMay(project: () => number) {
  const [projects, session] = [useProjects(), useSession()]
  const role = computed(() => projects.projects.find(({ id }) => id === project())?.role ?? session.person?.role)
  return reactive({
    mayWrite: computed(() => role.value === 'author' || role.value === 'administrator'),
    isAdministrator: computed(() => role.value === 'administrator'),
  })
}
