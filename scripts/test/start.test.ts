import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createInterface } from 'node:readline'
import { fileURLToPath } from 'node:url'
import { afterAll, expect, it } from 'vitest'
import { FROM_SOURCES } from '../src/sources.js'
import { startMariaDb } from '../src/mariadb.js'

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-start-'))
afterAll(() => {
  rmSync(folder, { recursive: true, force: true })
})
const answers = (origin: string) =>
  fetch(`${origin}/health`).then(
    () => true,
    () => false,
  )

it('a start command that is killed leaves nothing behind: what it started ends, and its data are found again', async () => {
  const data = join(folder, 'data')
  const starter = spawn(
    process.execPath,
    [...FROM_SOURCES, fileURLToPath(new URL('starter.ts', import.meta.url)), data],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  )
  const [line] = (await once(createInterface({ input: starter.stdout }), 'line')) as [string]
  const origin = line.replace('answers at ', '')
  expect(await answers(origin)).toBe(true)
  await expect(startMariaDb(data, 'kept')).rejects.toThrow(/another start command uses .*stop it first/)

  starter.kill('SIGKILL')
  await once(starter, 'exit')

  await expect.poll(() => answers(origin)).toBe(false)
  const again = await startMariaDb(data, 'kept')
  await again.stop()
  expect(await again.ended).toBe('MariaDB ended with exit code 0')
})
