// The projects as Git remotes over smart HTTP: Git's own CGI program does the work.
// Source: gitprotocol-http(5) and git-http-backend(1).
import { spawn } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import type { Request, RequestHandler, Response } from 'express'
import { Problem } from '../http/problem.js'
import { refuseUnlessMay, visitorOfToken, type Visitor } from '../people/access.js'
import { noteOf } from '../people/audit-log.js'
import { CHANGES } from '../events/changes.js'
import { GIT_ENVIRONMENT } from '../projects/git-environment.js'
import { oneAtATime } from '../projects/one-at-a-time.js'
import { projectOf } from '../projects/project-of.js'
import { withGate } from './push-gate.js'

const WITHIN_MS = 120_000
const MOST_HEADER = 16_384
/** Of one push. */
const MOST_PUSHED = '50m'
/** Refuses links and submodules, and asks the rest of this server; hooks of the repository itself are not run. */
const HOOKS = fileURLToPath(new URL('../../hooks', import.meta.url))

/** Answers `/git/NUMBER.git/...`; a personal token with the scope git is the password. */
export const gitRemote: RequestHandler = async (request, response) => {
  const [, id = '', rest = ''] = /^\/(\d{1,9})\.git(\/.*)$/.exec(request.path) ?? []
  const service =
    rest.endsWith('/git-receive-pack') || request.query['service'] === 'git-receive-pack' ? 'push' : 'fetch'
  if (!/^\/(?:info\/refs|git-upload-pack|git-receive-pack)$/.test(rest))
    throw new Problem(404, 'NO_ROUTE', 'this remote supports smart HTTP only')
  const visitor = await visitorOf(request)
  if (visitor === undefined) {
    response.status(401).set('www-authenticate', 'Basic realm="Jolt Gate: a personal token is the password"').end()
    return
  }
  if (!visitor.scopes.includes('git')) throw new Problem(403, 'SCOPE', 'this token lacks the scope "git"')
  const act = service === 'push' ? 'write' : 'read'
  await refuseUnlessMay({ ...visitor, scopes: [...visitor.scopes, act] }, act, Number(id))
  const { project, copy } = await projectOf(id)
  const answer = (place = '') => serve(request, response, { root: copy.root, path: rest, visitor, place })
  if (rest !== '/git-receive-pack') {
    await answer()
    return
  }
  await noteOf(visitor.person, 'pushed', project.name, project.id)
  await oneAtATime(copy.root, () => withGate({ project, copy, person: visitor.person }, answer))
  // Branches have moved: pages and pipelines look at them anew.
  CHANGES.emit('project', project.id)
}

async function visitorOf(request: Request): Promise<Visitor | undefined> {
  const basic = /^Basic (\S+)$/i.exec(request.headers.authorization ?? '')?.[1]
  if (basic === undefined) return undefined
  return visitorOfToken(Buffer.from(basic, 'base64').toString('utf8').split(':').slice(1).join(':'))
}

// eslint-disable-next-line max-lines-per-function -- the streams of one process and its ends
function serve(
  request: Request,
  response: Response,
  { root, path, visitor, place }: { root: string; path: string; visitor: Visitor; place: string },
): Promise<void> {
  const { person } = visitor
  const child = spawn('git', ['http-backend'], {
    timeout: WITHIN_MS,
    env: {
      PATH: process.env['PATH'] ?? '',
      ...GIT_ENVIRONMENT,
      GIT_PROJECT_ROOT: root,
      GIT_HTTP_EXPORT_ALL: '1',
      PATH_INFO: `/.git${path}`,
      REMOTE_USER: person.email,
      REMOTE_ADDR: request.socket.remoteAddress ?? '',
      REQUEST_METHOD: request.method,
      QUERY_STRING: new URL(request.originalUrl, 'http://here').search.slice(1),
      CONTENT_TYPE: request.headers['content-type'] ?? '',
      HTTP_CONTENT_ENCODING: request.headers['content-encoding'] ?? '',
      GIT_PROTOCOL: String(request.headers['git-protocol'] ?? ''),
      JOLT_GATE_ASK: place,
      JOLT_GATE_NODE: process.execPath,
      GIT_COMMITTER_NAME: person.name,
      GIT_COMMITTER_EMAIL: person.email,
      // The files on disk follow a push, unless somebody has changed them there; then Git refuses the push.
      ...configOf({
        'http.receivepack': 'true',
        'receive.denyCurrentBranch': 'updateInstead',
        // What is in the history stays there.
        'receive.denyNonFastForwards': 'true',
        'receive.denyDeletes': 'true',
        'receive.maxInputSize': MOST_PUSHED,
        'receive.fsckObjects': 'true',
        'core.symlinks': 'false',
        'core.hooksPath': HOOKS,
        'safe.directory': '*',
      }),
    },
    stdio: ['pipe', 'pipe', 'pipe'],
  })
  request.pipe(child.stdin)
  child.stdin.on('error', () => undefined)
  child.stderr.resume()
  return new Promise((resolve) => {
    let head = Buffer.alloc(0)
    let isBody = false
    child.stdout.on('data', (chunk: Buffer) => {
      if (isBody) {
        if (!response.write(chunk)) child.stdout.pause()
        return
      }
      head = Buffer.concat([head, chunk])
      const end = head.indexOf('\r\n\r\n')
      if (end < 0) {
        if (head.length > MOST_HEADER) child.kill()
        return
      }
      isBody = true
      writeHead(response, head.subarray(0, end).toString('latin1'))
      response.write(head.subarray(end + 4))
    })
    response.on('drain', () => child.stdout.resume())
    response.on('close', () => child.kill())
    child.on('close', () => {
      if (!response.headersSent) response.status(500)
      response.end()
      resolve()
    })
  })
}

/** Settings of Git for one process, over those of the repository. */
function configOf(settings: Record<string, string>): Record<string, string> {
  const entries = Object.entries(settings)
  return {
    GIT_CONFIG_COUNT: String(entries.length),
    ...Object.fromEntries(
      entries.flatMap(([key, value], index) => [
        [`GIT_CONFIG_KEY_${String(index)}`, key],
        [`GIT_CONFIG_VALUE_${String(index)}`, value],
      ]),
    ),
  }
}

/** The head that a CGI program writes (RFC 3875, section 6). */
function writeHead(response: Response, head: string): void {
  for (const line of head.split('\r\n')) {
    const [, name = '', value = ''] = /^([^:]+):\s*(.*)$/.exec(line) ?? []
    if (name.toLowerCase() === 'status') response.status(Number(value.slice(0, 3)) || 500)
    else if (name !== '') response.set(name, value)
  }
}
