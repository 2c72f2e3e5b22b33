// Signing in by OpenID Connect, against a small provider that keeps to OpenID Connect Core 1.0: discovery, the code
// flow with PKCE (RFC 7636, S256), and ID tokens signed with RS256.
import { createHash, generateKeyPairSync, sign } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import { createServer } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { startServer, type JoltServer } from '@jolt-gate/server'
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { callerOf, newDatabase } from './place.js'

const CLIENT = 'jolt-gate'
const SECRET = 'between-the-two'
const { privateKey, publicKey } = generateKeyPairSync('rsa', { modulusLength: 2048 })

/** Who is at the provider's page, and what it does wrong. */
let claims: Record<string, unknown> = {}
let spoil: (token: string) => string = (token) => token
const codes = new Map<string, { challenge: string; nonce: string }>()
const provider = createServer((request, response) => {
  const { pathname, searchParams } = new URL(request.url ?? '/', issuer)
  const json = (body: unknown) => response.setHeader('content-type', 'application/json').end(JSON.stringify(body))
  if (pathname === '/.well-known/openid-configuration')
    json({
      issuer,
      authorization_endpoint: `${issuer}/authorize`,
      token_endpoint: `${issuer}/token`,
      jwks_uri: `${issuer}/keys`,
      response_types_supported: ['code'],
      subject_types_supported: ['public'],
      id_token_signing_alg_values_supported: ['RS256'],
    })
  else if (pathname === '/keys')
    json({ keys: [{ ...publicKey.export({ format: 'jwk' }), kid: 'k', use: 'sig', alg: 'RS256' }] })
  else if (pathname === '/authorize') {
    const code = `code-${String(codes.size)}`
    codes.set(code, { challenge: searchParams.get('code_challenge') ?? '', nonce: searchParams.get('nonce') ?? '' })
    const back = new URL(searchParams.get('redirect_uri') ?? '')
    back.search = new URLSearchParams({ code, state: searchParams.get('state') ?? '' }).toString()
    response.writeHead(302, { location: back.href }).end()
  } else {
    let body = ''
    request.on('data', (chunk: Buffer) => (body += chunk.toString()))
    request.on('end', () => {
      const form = new URLSearchParams(body)
      const known = codes.get(form.get('code') ?? '')
      const challenge = createHash('sha256')
        .update(form.get('code_verifier') ?? '')
        .digest('base64url')
      if (known?.challenge !== challenge) response.writeHead(400).end('{"error":"invalid_grant"}')
      else json({ access_token: 'a', token_type: 'Bearer', id_token: spoil(idToken(known.nonce)) })
    })
  }
})
let issuer = ''

function idToken(nonce: string): string {
  const part = (value: unknown) => Buffer.from(JSON.stringify(value)).toString('base64url')
  const now = Math.floor(Date.now() / 1000)
  const said = { iss: issuer, aud: CLIENT, iat: now, exp: now + 60, nonce, ...claims }
  const signed = `${part({ alg: 'RS256', kid: 'k' })}.${part(said)}`
  return `${signed}.${sign('sha256', Buffer.from(signed), privateKey).toString('base64url')}`
}

const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-provider-'))
let server: JoltServer
beforeAll(async () => {
  await new Promise<void>((resolve) => provider.listen(0, '127.0.0.1', resolve))
  const address = provider.address()
  issuer = `http://127.0.0.1:${String(typeof address === 'object' && address !== null ? address.port : 0)}`
  server = await startServer({
    database: newDatabase(),
    port: 0,
    pages: undefined,
    projects: [],
    runsFolder: join(folder, 'runs'),
    provider: { issuer, client: CLIENT, secret: SECRET, name: 'Larkholm accounts', newRole: undefined },
  })
  const first = { name: 'Ida', email: 'ida@larkholm.example', password: 'a-lamp-on-the-quay', code: server.setupCode }
  await callerOf(server.origin)('POST', '/people/first', first)
})
afterAll(async () => {
  await server.stop()
  provider.close()
  rmSync(folder, { recursive: true, force: true })
})
beforeEach(() => {
  spoil = (token) => token
})

const cookieOf = (response: Response) => response.headers.getSetCookie().map((one) => one.split(';')[0] ?? '')
const go = (url: string, cookie = '') => fetch(url, { redirect: 'manual', headers: { cookie } })

/** The way of a browser: there, and back. */
async function signIn(who: Record<string, unknown>, cookieBack?: string) {
  claims = who
  const begun = await go(`${server.origin}/api/session/provider`)
  const [attempt = ''] = cookieOf(begun)
  const there = await go(begun.headers.get('location') ?? '')
  const backUrl = there.headers.get('location') ?? ''
  const back = await go(backUrl, cookieBack ?? attempt)
  const session = cookieOf(back).find((one) => one.startsWith('jolt_gate_session=')) ?? ''
  const person = (await callerOf(server.origin, { cookie: session })('GET', '/session')).body
  return { back, backUrl, attempt, person, to: decodeURIComponent(back.headers.get('location') ?? '') }
}

const IDA = { sub: '1', email: 'Ida@Larkholm.example', email_verified: true, name: 'Ida' }

describe('by a sign-in provider', () => {
  it('is offered by its name', async () => {
    expect((await callerOf(server.origin)('GET', '/session')).body).toMatchObject({
      kind: 'signed out',
      provider: 'Larkholm accounts',
    })
  })

  it('nobody gets in whose address it has not verified, or whom nobody has added', async () => {
    const unverified = await signIn({ ...IDA, email_verified: false })
    const unknown = await signIn({ sub: '9', email: 'ole@larkholm.example', email_verified: true })

    expect(unverified.to).toBe('/?refused=Larkholm accounts has not verified an email address of yours')
    expect(unknown.to).toContain('ole@larkholm.example has no account here')
    expect([unverified.person, unknown.person]).toMatchObject([{ kind: 'signed out' }, { kind: 'signed out' }])
  })

  it('a person gets in with the role that they have here, and by their subject when their address changes', async () => {
    const first = await signIn(IDA)
    const later = await signIn({ ...IDA, email: 'ida.quay@larkholm.example' })
    const other = await signIn({ ...IDA, sub: '2' })

    expect(first.to).toBe('/')
    const ida = { kind: 'somebody', person: { email: 'ida@larkholm.example', role: 'administrator' } }
    expect([first.person, later.person]).toMatchObject([ida, ida])
    expect(other.to).toContain('belongs to another account')
  })

  it.each([
    ['a token that was signed by another', (token: string) => `${token.slice(0, -8)}AAAAAAAA`],
    [
      'a token that was changed',
      (token: string) => token.replace(/\.[^.]+\./, `.${Buffer.from('{"sub":"1"}').toString('base64url')}.`),
    ],
  ])('refuses %s', async (_, spoiled) => {
    spoil = spoiled

    const { to, person } = await signIn(IDA)

    expect(to).toContain('did not confirm')
    expect(person).toMatchObject({ kind: 'signed out' })
  })

  it.each([
    ['for another client', { aud: 'somebody-else' }],
    ['of another attempt', { nonce: 'of-before' }],
    ['that has expired', { exp: 1 }],
    ['of another issuer', { iss: 'http://127.0.0.1:1' }],
  ])('refuses a token %s', async (_, wrong) => {
    expect(await signIn({ ...IDA, ...wrong })).toMatchObject({ person: { kind: 'signed out' } })
  })

  it('refuses to come back in another browser, or twice', async () => {
    const elsewhere = await signIn(IDA, 'jolt_gate_attempt=of-another')
    const { backUrl, attempt } = await signIn(IDA)
    const twice = await go(backUrl, attempt)

    expect(elsewhere.to).toContain('began in another browser')
    expect(elsewhere.person).toMatchObject({ kind: 'signed out' })
    expect(decodeURIComponent(twice.headers.get('location') ?? '')).toContain('began in another browser')
  })
})
