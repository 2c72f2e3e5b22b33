// Several people at the same moment.
import { statSync, utimesSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { describe, expect, it } from 'vitest'
import { callerOf, demoPlace, git, PLAN, planText, signedIn } from './place.js'

const { place, call } = demoPlace()

const save = (file: string, base: string | null, text = planText(1)) =>
  call('PUT', `${place.project}/plan?file=${encodeURIComponent(file)}`, { text, base, message: `save ${file}` })

describe('at the same moment', () => {
  it('people save ten plans, each in a commit of its own', async () => {
    const files = Array.from({ length: 10 }, (_, number) => `plans/at-once-${String(number)}.gate.yaml`)

    const saved = await Promise.all(files.map((file) => save(file, null)))

    expect(saved.map(({ status }) => status)).toEqual(files.map(() => 200))
    const messages = git(place.repository, 'log', '-10', '--format=%s').split('\n')
    expect(new Set(messages)).toEqual(new Set(files.map((file) => `save ${file}`)))
  })

  it('two people save one plan: one of them is told that it changed, and keeps the text', async () => {
    const { body } = await call('GET', `${place.project}/plan?file=${encodeURIComponent(PLAN)}`)
    const { base } = body as { base: string }

    const saved = await Promise.all([save(PLAN, base, planText(3)), save(PLAN, base, planText(4))])

    expect(saved.map(({ status }) => status).toSorted((a, b) => a - b)).toEqual([200, 409])
    expect(saved.find(({ status }) => status === 409)?.body).toMatchObject({ code: 'CHANGED' })
  })

  it('who looks at a project locks nobody out who works in its folder with Git', async () => {
    const index = join(place.repository, '.git/index')
    git(place.repository, 'status')
    // Whole seconds: file systems keep no more of a time for sure.
    const past = new Date(1000 * Math.floor(Date.now() / 1000 - 60))
    utimesSync(index, past, past)
    // Git would note the new time of the file in its index, under a lock.
    utimesSync(join(place.repository, PLAN), new Date(), new Date())

    const { status } = await call('GET', `${place.project}/plans`)

    expect([status, statSync(index).mtimeMs]).toEqual([200, past.getTime()])
  })

  it('everybody with a page open hears what changes, on disk and in the queue', async () => {
    const headers = await signedIn(place.server.origin)
    const response = await fetch(`${place.server.origin}/api/changes`, { headers })
    let heard = ''
    const reading = (async () => {
      for await (const chunk of response.body ?? []) heard += Buffer.from(chunk).toString('utf8')
    })()

    writeFileSync(join(place.repository, PLAN), planText(2))
    await expect.poll(() => heard).toMatch(/event: ?project\n(?:id:.*\n)?data: ?\{"project":1\}/)
    const { body } = await call('POST', `${place.project}/runs`, { plan: PLAN })
    await expect.poll(() => heard).toMatch(/event: ?queue/)
    await call('POST', `/runs/${(body as { id: string }).id}/stop`)

    // Who signs out hears nothing more.
    await callerOf(place.server.origin, headers)('DELETE', '/session')
    await reading
  })

  it('ten runs are asked for, and get ten numbers in a row', async () => {
    writeFileSync(join(place.repository, PLAN), planText(1))

    const asked = await Promise.all(
      Array.from({ length: 10 }, () => call('POST', `${place.project}/runs`, { plan: PLAN })),
    )

    expect(asked.map(({ status }) => status)).toEqual(asked.map(() => 201))
    const runs = asked.map(({ body }) => body as { id: string; number: number })
    const numbers = runs.map(({ number }) => number).toSorted((a, b) => a - b)
    expect(numbers).toEqual(asked.map((_, index) => (numbers[0] ?? 0) + index))
    await Promise.all(runs.map(({ id }) => call('POST', `/runs/${id}/stop`)))
  })
})
