// Targets and what is asked of them: secrets, permission, control, metrics, rehearsals.
import { createServer } from 'node:http'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { controlNeeded, proveControl, WELL_KNOWN } from '@jolt-gate/engine'
import { readTarget } from '@jolt-gate/core'
import { describe, expect, it } from 'vitest'
import { git, PLAN, teamPlace } from './place.js'

const { place, administrator } = teamPlace()

describe('targets', () => {
  const text = () => `origin: ${place.ferries.origin}\nsecrets: [user, password]\n`

  it('keep secrets that are sealed, used, and never read back', async () => {
    const { body } = await administrator('GET', `${place.project}/targets`)
    const { base } = (body as { targets: { base: string }[] }).targets[0] ?? {}
    expect(
      (
        await administrator('PUT', `${place.project}/targets/here`, {
          text: text(),
          message: 'It wants to know who',
          base,
        })
      ).status,
    ).toBe(200)
    expect(await administrator('POST', `${place.project}/runs`, { plan: PLAN })).toMatchObject({
      status: 422,
      body: { code: 'NO_SECRET' },
    })
    for (const [name, value] of [
      ['user', 'purser'],
      ['password', 'grey-gull-9'],
    ] as const)
      expect((await administrator('PUT', `${place.project}/targets/here/secrets/${name}`, { value })).status).toBe(204)

    const listed = await administrator('GET', `${place.project}/targets`)
    expect(listed.body).toMatchObject({
      targets: [
        {
          secrets: [
            { name: 'user', from: 'store' },
            { name: 'password', from: 'store' },
          ],
        },
      ],
    })
    expect(JSON.stringify(listed.body)).not.toContain('low-tide')
    expect(readFileSync(join(place.repository, 'targets/here.target.yaml'), 'utf8')).not.toContain('low-tide')
  })

  it('are renamed with the plans that name them, and their secrets, which still go to the same addresses alone', async () => {
    const name = (from: string, to: string) => administrator('POST', `${place.project}/targets/${from}/name`, { to })
    const listed = async () =>
      (
        (await administrator('GET', `${place.project}/targets`)).body as {
          targets: { name: string; secrets: unknown }[]
        }
      ).targets
    const before = (await listed()).find((target) => target.name === 'here')

    expect((await name('here', 'quay')).status).toBe(200)

    expect((await listed()).map((target) => target.name)).not.toContain('here')
    expect((await listed()).find((target) => target.name === 'quay')).toMatchObject({ secrets: before?.secrets })
    expect(git(place.repository, 'show', '--name-only', '--format=', 'HEAD').split('\n')).toEqual([
      PLAN,
      'targets/quay.target.yaml',
    ])
    const run = await administrator('POST', `${place.project}/runs`, { plan: PLAN })
    expect(run).toMatchObject({ status: 201, body: { targetName: 'quay' } })
    expect(await name('nowhere', 'pier')).toMatchObject({ status: 404 })
    expect(await name('quay', '../x')).toMatchObject({ status: 400 })
    expect((await name('quay', 'here')).status).toBe(200)
  })

  it('are asked for no metrics without a permission, and tell nothing of what is behind an address', async () => {
    let asked = 0
    const server = createServer((request, response) => {
      asked++
      if (request.url === '/slow') setTimeout(() => response.end(), 6000)
      else response.writeHead(request.url === '/secret' ? 403 : 500).end()
    })
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    const address = server.address()
    const port = String(typeof address === 'object' && address !== null ? address.port : 0)
    const write = (name: string, origin: string) =>
      writeFileSync(join(place.repository, `targets/${name}.target.yaml`), `origin: ${origin}\n`)
    const metric = (target: string, url: string) =>
      administrator('POST', `${place.project}/targets/${target}/metric`, { url })
    write('near', `http://127.0.0.1:${port}`)
    write('closed', 'http://127.0.0.1:1')
    write('far', 'https://fares.larkholm.example')

    expect(await metric('far', '/metrics')).toMatchObject({ status: 403, body: { code: 'NOT_PERMITTED' } })
    expect(asked).toBe(0)
    const answers = [
      await metric('near', '/secret'),
      await metric('near', '/nothing'),
      await metric('near', '/slow'),
      await metric('closed', '/metrics'),
    ]
    const said = answers.map(({ status, body }) => [
      status,
      (body as { detail: string }).detail.replace(/^http:\S+ /, ''),
    ])
    expect(new Set(said.map(String)).size).toBe(1)
    expect(said[0]).toEqual([502, 'gives no page of metrics: see that it answers 200 within 5 s'])
    for (const name of ['near', 'closed', 'far']) rmSync(join(place.repository, `targets/${name}.target.yaml`))
    server.closeAllConnections()
    server.close()
  })

  it('show the families that a page of metrics offers, from their own origins alone', async () => {
    const families = await administrator('POST', `${place.project}/targets/here/metric`, { url: '/metrics' })
    expect(families.body).toMatchObject({
      families: expect.arrayContaining([
        expect.objectContaining({ type: expect.stringMatching(/gauge|counter/) as string }),
      ]) as unknown,
    })
    expect(
      (await administrator('POST', `${place.project}/targets/here/metric`, { url: 'http://127.0.0.1:1/metrics' }))
        .status,
    ).toBe(400)
  })

  // RFC 8615: a well-known address under the origin.
  it('beyond loopback are loaded only with a permission, within it, and when control is proven or approved for', async () => {
    const far = (more: string) =>
      administrator('PUT', `${place.project}/targets/far`, {
        text: `origin: http://booking.invalid\n${more}`,
        message: 'x',
        base: null,
      })
    const ask = () => administrator('POST', `${place.project}/runs`, { plan: PLAN, target: 'far' })
    await far('')
    expect(await ask()).toMatchObject({ status: 403, body: { code: 'NOT_PERMITTED' } })
    mkdirSync(join(place.repository, 'targets'), { recursive: true })
    const permit = (words: string) =>
      writeFileSync(
        join(place.repository, 'targets/far.target.yaml'),
        `origin: http://booking.invalid\npermission: { by: Ida Quay, ${words} }\n`,
      )
    permit('rate: 10/s, until: 2099-12-31')
    expect((await ask()).body).toMatchObject({
      code: 'NOT_PERMITTED',
      detail: expect.stringMatching(/reaches \d+ requests\/s/) as string,
    })
    permit('rate: 50/s, until: 2020-01-01')
    expect((await ask()).body).toMatchObject({ detail: expect.stringMatching(/ended with 2020-01-01/) as string })
    permit('rate: 50/s, until: 2099-12-31')
    expect((await ask()).body).toMatchObject({
      code: 'NOT_PROVEN',
      detail: expect.stringContaining(WELL_KNOWN) as string,
    })
    expect((await administrator('POST', `${place.project}/targets/far/approve`, { words: 'no' })).status).toBe(400)

    const approved = await administrator('POST', `${place.project}/targets/far/approve`, {
      words: 'It is ours: I hold the contract with the host.',
    })

    expect(approved.body).toMatchObject({ control: [{ isProven: true, approvedBy: 'Ida Quay' }] })
    expect((await administrator('GET', '/audit-log')).body).toMatchObject({
      events: expect.arrayContaining([expect.objectContaining({ event: 'approved a target' })]) as unknown,
    })
    // Words that permit more are other words: nobody has approved for them.
    permit('rate: 51/s, until: 2099-12-31')
    expect((await ask()).body).toMatchObject({ code: 'NOT_PROVEN' })
    git(place.repository, 'checkout', '-q', '--', 'targets')
  })

  it('prove control by a token under the well-known address, which follows from the permission', async () => {
    const { target } = readTarget(
      'targets/far.target.yaml',
      'origin: http://booking.invalid\npermission: { by: Ida, rate: 1/s, until: 2099-12-31 }\n',
    )
    const [needed] = target === undefined ? [] : controlNeeded(target)
    const served = createServer((request, response) =>
      response.end(request.url === WELL_KNOWN ? `x\n${needed?.token ?? ''}\n` : ''),
    )
    await new Promise<void>((resolve) => served.listen(0, '127.0.0.1', resolve))
    const address = served.address()
    const url = `http://127.0.0.1:${String(typeof address === 'object' ? address?.port : 0)}${WELL_KNOWN}`
    const ask = (token = needed?.token ?? '', at = url) => proveControl([{ origin: '', url: at, token }])

    expect(await ask()).toMatchObject([{ isProven: true }])
    expect(await ask('0'.repeat(40))).toMatchObject([
      { isProven: false, why: expect.stringMatching(/does not contain/) as string },
    ])
    served.close()
    served.closeAllConnections()
    expect(await ask()).toMatchObject([{ isProven: false, why: expect.stringMatching(/does not answer/) as string }])
  })
})

describe('a rehearsal', () => {
  const plan = `jolt: 1
name: Hold
target: here
setup:
  - send: POST /sessions
    json: { user: "{secret.user}", password: "{secret.password}" }
    keep: { token: secret json $.token }
journeys:
  a:
    steps:
      - send: POST /holds
        auth: { bearer: "{token}" }
        json: { sailing: LARKHOLM_FENNICK_2026-06-01_0710, people: 1 }
        name: hold
        keep: { hold: json $.id }
      - send: GET /holds/{hold}
        name: view
        check: ["json $.people is 2"]
load:
  - { phase: p, rate: 1/s, for: 1s }
`
  const lines = (answer: { body: unknown }) =>
    String(answer.body)
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { kind: string; step?: { step: string }; id?: string })

  it('tells each step as it ends, of a text that is not saved, with secrets masked, and is kept to compare with', async () => {
    const answer = await administrator('POST', `${place.project}/rehearsals`, { plan: PLAN, text: plan })
    const told = lines(answer)

    expect(told.map(({ kind, step }) => step?.step ?? kind)).toEqual(['begin', 'POST /sessions', 'hold', 'view', 'end'])
    expect(told.at(-1)).toMatchObject({ passed: false })
    expect(told[3]).toMatchObject({ step: { failure: { kind: 'check' }, checks: [{ held: false, found: ['1'] }] } })
    expect(answer.body).not.toContain('low-tide')
    expect((await administrator('GET', `${place.project}/rehearsals?plan=${PLAN}`)).body).toMatchObject({
      rehearsals: [{ id: told[0]?.id, passed: false, canResume: true }],
    })
  })

  it('goes again from a step with what was kept before it', async () => {
    const { body } = await administrator('GET', `${place.project}/rehearsals?plan=${PLAN}`)
    const { id, rehearsal } =
      (body as { rehearsals: { id: string; rehearsal: { steps: { kept: { value: string }[] }[] } }[] }).rehearsals[0] ??
      {}
    const mended = plan.replace('is 2', 'is 1')

    const told = lines(
      await administrator('POST', `${place.project}/rehearsals`, {
        plan: PLAN,
        text: mended,
        again: { rehearsal: id, step: '2' },
      }),
    )

    expect(told.map(({ kind, step }) => step?.step ?? kind)).toEqual(['begin', 'view', 'end'])
    expect(told[1]).toMatchObject({
      step: {
        failure: null,
        request: { url: expect.stringContaining(rehearsal?.steps[1]?.kept[0]?.value ?? 'none') as string },
      },
    })
    expect(told.at(-1)).toMatchObject({ passed: true })
  })
})
