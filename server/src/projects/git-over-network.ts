// Git to another place: by HTTP(S) at an address that was looked at, or in a folder of this machine, bounded in time,
// with a password that no other process can read off and no file holds.
import { execFile } from 'node:child_process'
import { existsSync } from 'node:fs'
import { promisify } from 'node:util'
import { reachable } from '@jolt-gate/engine'
import { GIT_ENVIRONMENT } from './git-environment.js'
import { Problem } from '../http/problem.js'

const run = promisify(execFile)
const WITHIN_MS = 120_000
const MOST_SAID = 500

export interface Source {
  /** Without user and password. */
  url: string
  /** `user:password`, for HTTP Basic authentication (RFC 7617). */
  credential: string | undefined
}

/** An address as a person writes it; user and password may stand in it. */
export function readSource(written: string): Source {
  if (!/^https?:\/\/[^\s-]\S*$/.test(written) || !URL.canParse(written)) {
    if (written.startsWith('/') && existsSync(written)) return { url: written, credential: undefined }
    throw new Problem(400, 'BAD_SOURCE', 'give an http(s) URL or a folder of this machine')
  }
  const url = new URL(written)
  const said = `${decodeURIComponent(url.username)}:${decodeURIComponent(url.password)}`
  ;[url.username, url.password] = ['', '']
  return { url: url.href, credential: said === ':' ? undefined : said }
}

/**
 * Runs Git where it talks to another place.
 *
 * @param words - the command, which names the URL of the source itself
 * @param root - where it runs
 */
export async function gitOverNetwork({ url, credential }: Source, words: string[], root?: string): Promise<string> {
  const isWeb = /^https?:/.test(url)
  const place = isWeb ? await heldTo(new URL(url)) : []
  try {
    const { stdout } = await run('git', [...place, ...words], {
      cwd: root,
      timeout: WITHIN_MS,
      env: {
        PATH: process.env['PATH'] ?? '',
        HOME: process.env['HOME'] ?? '',
        ...GIT_ENVIRONMENT,
        LC_ALL: 'C',
        GIT_TERMINAL_PROMPT: '0',
        GIT_ALLOW_PROTOCOL: 'http:https:file',
        ...(credential === undefined ? {} : basicAuth(credential)),
      },
    })
    return stdout
  } catch (error) {
    const said = typeof error === 'object' && error !== null && 'stderr' in error ? String(error.stderr) : String(error)
    throw new Problem(502, 'NO_GIT_ANSWER', `Git could not ${words[0] ?? ''}: ${said.trim().slice(0, MOST_SAID)}`)
  }
}

/** In the environment: the arguments of a process are seen by all. */
function basicAuth(credential: string): Record<string, string> {
  return {
    GIT_CONFIG_COUNT: '1',
    GIT_CONFIG_KEY_0: 'http.extraHeader',
    GIT_CONFIG_VALUE_0: `Authorization: Basic ${Buffer.from(credential).toString('base64')}`,
  }
}

/** Holds Git to the address that was looked at, and to no other: its name may lead elsewhere a moment later. */
async function heldTo(url: URL): Promise<string[]> {
  const port = Number(url.port) || (url.protocol === 'https:' ? 443 : 80)
  try {
    const address = await reachable(url.hostname, port)
    const shown = address.includes(':') ? `[${address}]` : address
    return ['-c', 'http.followRedirects=false', '-c', `http.curloptResolve=${url.hostname}:${String(port)}:${shown}`]
  } catch (error) {
    throw new Problem(403, 'NOT_PERMITTED', error instanceof Error ? error.message : String(error))
  }
}
