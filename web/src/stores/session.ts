// Who is signed in, and what that lets them do.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, useCsrf, whenNobody } from '../api/client.js'
import type { Session } from '@jolt-gate/core/api'

export const useSession = defineStore('session', () => {
  const session = ref<Session>()
  const person = computed(() => (session.value?.kind === 'somebody' ? session.value.person : undefined))
  const isAdministrator = computed(() => person.value?.role === 'administrator')

  function become(next: Session): void {
    session.value = next
    useCsrf(next.kind === 'somebody' ? next.csrf : '')
  }
  async function load(): Promise<Session> {
    const found = await api.session()
    become(found)
    return found
  }
  async function signOut(): Promise<void> {
    await api.signOut()
    await load()
  }
  whenNobody(() => {
    void load()
  })

  return { session, person, isAdministrator, become, load, signOut }
})
