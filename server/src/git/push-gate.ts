// Asked by the hook of a push, before any branch has moved: who brings which commits is noted, and a protected branch
// goes on only as its rule says.
import { chmodSync, mkdtempSync, rmSync } from 'node:fs'
import { createServer, type Socket } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { array, object, string, type InferType } from 'yup'
import type { PersonRow, ProjectRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { log } from '../observability/log.js'
import { gitAt, type Git } from '../merges/git-at.js'
import { whyNotGoOn } from '../merges/rule.js'
import { MOST_HANDS, noteHands } from '../projects/hands.js'
import type { WorkingCopy } from '../projects/working-copy.js'

const MOST_ASKED = 100_000
const NONE = /^0+$/

/** What the hook says: `old:new:ref` of each, and where Git keeps what was pushed. */
const QUESTION = object({
  moves: array()
    .of(
      string()
        .matches(/^[0-9a-f]{40,64}:[0-9a-f]{40,64}:refs\/\S+$/)
        .required(),
    )
    .required(),
  /** Where the hook runs: what the environment names may be seen from there. */
  folder: string().required(),
  environment: object({
    GIT_DIR: string(),
    GIT_OBJECT_DIRECTORY: string(),
    GIT_ALTERNATE_OBJECT_DIRECTORIES: string(),
    GIT_QUARANTINE_PATH: string(),
  }).required(),
})

export interface Pushing {
  project: ProjectRow
  copy: WorkingCopy
  person: PersonRow
}

/** Does something while the hook of one push may ask; it is told where. */
export async function withGate(pushing: Pushing, task: (place: string) => Promise<void>): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), 'jolt-gate-push-'))
  chmodSync(folder, 0o700)
  const place = join(folder, 'ask')
  const server = createServer({ allowHalfOpen: true }, (socket) => {
    void answer(socket, pushing)
  })
  try {
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject)
      server.listen(place, resolve)
    })
    await task(place)
  } finally {
    server.close()
    rmSync(folder, { recursive: true, force: true })
  }
}

async function answer(socket: Socket, pushing: Pushing): Promise<void> {
  socket.on('error', () => undefined)
  let words = ''
  try {
    words = (await whyNot(await QUESTION.validate(JSON.parse(await heard(socket))), pushing)) ?? 'yes'
  } catch (error) {
    if (error instanceof Problem) words = error.detail
    else {
      log.error({ err: error, project: pushing.project.id }, 'a push could not be looked at')
      words = 'the server could not look at the push; its log says why'
    }
  }
  socket.end(words)
}

/** All that was asked; unlike reading it as a stream, this leaves the socket open for the answer. */
function heard(socket: Socket): Promise<string> {
  return new Promise((resolve, reject) => {
    let asked = ''
    socket.setEncoding('utf8').on('data', (text) => {
      asked += String(text)
      if (asked.length > MOST_ASKED) reject(new Error('too much was asked'))
    })
    socket.once('end', () => {
      resolve(asked)
    })
  })
}

async function whyNot(
  { moves, folder, environment }: InferType<typeof QUESTION>,
  { project, copy, person }: Pushing,
): Promise<string | undefined> {
  const git = gitAt(folder, environment)
  const { branch } = await copy.head()
  for (const move of moves) {
    const [from = '', to = '', ref = ''] = move.split(':')
    if (project.isProtected && ref === `refs/heads/${branch ?? ''}`) {
      const why = NONE.test(from)
        ? 'it has no commit yet'
        : await whyNotGoOn(git, project.id, { from, to, pusher: person.id })
      if (why !== undefined) return `${branch ?? ''} is protected: ${why}`
    }
    await noteNew(git, pushedBy(project, person), to)
  }
  return undefined
}

const pushedBy = ({ id: projectId }: ProjectRow, { id: personId }: PersonRow) => ({ projectId, personId })

async function noteNew(
  git: Git,
  { projectId, personId }: { projectId: number; personId: number },
  to: string,
): Promise<void> {
  if (NONE.test(to)) return
  const listed = await git('rev-list', `--max-count=${String(MOST_HANDS)}`, to, '--not', '--all')
  await noteHands(
    projectId,
    personId,
    listed.split('\n').filter((commit) => commit !== ''),
  )
}
