// What tests of panels and pages begin with: a router, stores, queries, and a person who presses buttons.
import { VueQueryPlugin, QueryClient } from '@tanstack/vue-query'
import { enableAutoUnmount, flushPromises } from '@vue/test-utils'
import { createPinia, setActivePinia } from 'pinia'
import { createMemoryHistory, createRouter } from 'vue-router'
import type { Plugin } from 'vue'
import { afterEach, beforeEach, vi } from 'vitest'
import type { Role } from '@jolt-gate/core/api'
import { useSession } from '../src/stores/session.js'
import { router as real } from '../src/router.js'

const NOTHING = { template: '<i />' }

enableAutoUnmount(afterEach)

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
  const queries: [Plugin, { queryClient: QueryClient }] = [VueQueryPlugin, { queryClient }]
  return {
    router,
    /** Signs somebody in, in every project. */
    signIn: (role: Role): void => {
      const person = { id: 1, name: 'Ida Quay', email: 'ida@larkholm.example', role }
      useSession().become({ kind: 'somebody', person, csrf: 'c' })
    },
    options: { attachTo: document.body, global: { plugins: [router, pinia, queries] } },
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

/** The words of an element, with a space wherever one would be seen. */
export function wordsIn(element: Element): string {
  const texts: string[] = []
  const walker = document.createTreeWalker(element, NodeFilter.SHOW_TEXT)
  for (let node = walker.nextNode(); node !== null; node = walker.nextNode()) texts.push(node.textContent ?? '')
  return texts.join(' ').replaceAll(/\s+/g, ' ').trim()
}

/** The cells of the table on the page, row by row. */
export const rows = (): string[][] =>
  [...document.querySelectorAll('.el-table__row')].map((row) => [...row.querySelectorAll('td')].map(wordsIn))
