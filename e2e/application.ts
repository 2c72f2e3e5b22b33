// The whole application with the demo, and a browser signed in to it.
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import {
  DEMO_SECRETS,
  freePort,
  prepareDemo,
  programOf,
  RECORDED_RUNS,
  sealKeyFile,
  startChild,
  startMariaDb,
} from '@jolt-gate/scripts'
import { chromium, type BrowserContextOptions, type Page } from 'playwright-core'
import { expect, type RunnerTestCase as Test } from 'vitest'

const root = fileURLToPath(new URL('../', import.meta.url))
const SWITCHES = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
]

export type Application = Awaited<ReturnType<typeof startApplication>>

/** @param history - whether the demo has its recorded runs from the start, or a file of others */
export async function startApplication(history: boolean | string = false) {
  const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-e2e-'))
  mkdirSync(join(folder, 'data'), { recursive: true })
  const database = await startMariaDb(join(folder, 'data'), 'jolt_gate')
  const ferries = await startChild(programOf('stand-ins/ferries'))
  const demo = join(folder, 'larkholm-ferries')
  const stagingPort = await freePort(0)
  prepareDemo(join(root, 'demo'), demo, {
    harbour: ferries.origin,
    staging: `http://127.0.0.1:${String(stagingPort)}`,
  })
  const startServer = (port: number) =>
    startChild(
      [
        ...programOf('server'),
        ...['--port', String(port)],
        ...['--socket', database.socketPath, '--database-user', database.user],
        ...['--pages', join(root, 'web/dist')],
        ...['--project', demo],
        ...['--projects-folder', join(folder, 'projects')],
        ...['--runs-folder', join(folder, 'runs')],
        ...['--key-file', sealKeyFile(folder)],
        ...(history === false ? [] : ['--recorded-runs', history === true ? RECORDED_RUNS : history]),
        '--demo',
      ],
      DEMO_SECRETS,
    )
  let server = await startServer(await freePort(0))
  const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: SWITCHES })
  const signedIn = await fetch(`${server.origin}/api/session/demo`, { method: 'POST' })
  const [cookie = ''] = signedIn.headers.getSetCookie()
  const [name = '', value = ''] = cookie.split(';')[0]?.split('=') ?? []
  await signedIn.arrayBuffer()

  return {
    origin: server.origin,
    ferries: ferries.origin,
    ...{ demo, folder, stagingPort },
    /** Stops the server for as long as something is done, and starts it again where it was. */
    async without(done: () => Promise<void>): Promise<void> {
      const port = Number(new URL(server.origin).port)
      await server.stop()
      try {
        await done()
      } finally {
        server = await startServer(port)
      }
    },
    browser,
    /** A page of somebody who is signed in, and the faults that it met. */
    async newPage(options: BrowserContextOptions = {}): Promise<{ page: Page; faults: string[] }> {
      const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, ...options })
      await context.addCookies([{ name, value, url: server.origin }])
      context.setDefaultTimeout(60_000)
      const page = await context.newPage()
      const faults: string[] = []
      page.on('pageerror', (error) => faults.push(error.message))
      page.on('console', (message) => {
        if (message.type() === 'error') faults.push(message.text())
      })
      return { page, faults }
    },
    /** Closes the page of a test, which must have met no faults; of a test that failed, says what the page showed. */
    async leave(page: Page, faults: readonly string[], { name, result }: Readonly<Test>): Promise<void> {
      if (result?.state === 'fail')
        console.error(`"${name}" failed at ${page.url()}:\n${await page.locator('body').ariaSnapshot()}`)
      await page.context().close()
      expect(faults).toEqual([])
    },
    /** A page of somebody who is not signed in. */
    async newStranger(): Promise<Page> {
      return (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage()
    },
    async stop() {
      await browser.close()
      for (const part of [server, ferries, database]) await part.stop()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}
