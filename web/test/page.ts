// What tests of panels and pages begin with: a router, stores, queries, and a person who presses buttons.
import { VueQueryPlugin, QueryClient } from '@tanstack/vue-query'
import { flushPromises } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { createMemoryHistory, createRouter } from 'vue-router'
import { afterEach, beforeEach, vi } from 'vitest'
import type { Role } from '@jolt-gate/core/api'
import { useSession } from '../src/stores/session.js'
import { router as real } from '../src/router.js'

const NOTHING = { template: '<i />' }

export function pageAround() {
  const router = createRouter({
    history: createMemoryHistory(),
    // The addresses of the application, without its pages.
    routes: real.getRoutes().map(({ path, name }) => ({ path, name: String(name), component: NOTHING })),
  })
  const pinia = createPinia()
  const queryClient = new QueryClient({ defaultOptions: { queries: { retry: false } } })
  beforeEach(() => {
    setActivePinia(pinia)
  })
  afterEach(() => {
    vi.restoreAllMocks()
    queryClient.clear()
    localStorage.clear()
    sessionStorage.clear()
    document.body.innerHTML = ''
  })
  return {
    router,
    /** Signs somebody in, in every project. */
    signIn(role: Role) {
      const person = { id: 1, name: 'Ida Quay', email: 'ida@larkholm.example', role }
      useSession().become({ kind: 'somebody', person, csrf: 'c' })
    },
    options: { attachTo: document.body, global: { plugins: [router, pinia, [VueQueryPlugin, { queryClient }]] } },
  }
}

/** A button anywhere on the page, by how its words begin. */
export const button = (name: string): HTMLButtonElement | undefined =>
  [...document.querySelectorAll('button')].find((one) => one.textContent.trim().startsWith(name))

export async function press(name: string): Promise<void> {
  const found = button(name)
  if (found === undefined) throw new Error(`no button ${name} in ${document.body.textContent}`)
  found.click()
  await flushPromises()
}
