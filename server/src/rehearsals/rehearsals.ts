// Rehearsals under way, and what is remembered of those that ended.
import { existsSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { isLive, rehearseApart, type Memory } from '@jolt-gate/engine'
import type { Plan, Rehearsal, RehearsedStep, Target } from '@jolt-gate/core'
import { number, object, string, type InferType } from 'yup'
import { Problem } from '../http/problem.js'
import { log } from '../observability/log.js'
import { note } from '../people/audit-log.js'
import { boundTo } from '../targets/secrets.js'

const MOST_OF_A_PERSON = 2
const MOST_IN_ALL = 8
/** Rehearsals whose memories are kept. */
const MOST_REMEMBERED = 20
const LOOK_AGAIN_MS = 200
/** Its steps are cut off when the server is gone; its teardown has five minutes. */
const GONE_WITHIN_MS = 330_000

export interface Rehearser {
  personId: number
  projectId: number
  planFile: string
  target: Target
}

export interface Asked {
  plan: Plan
  secrets: Record<string, string>
  journey: string | undefined
  memory: Memory | undefined
  /** Whether the step of the memory is made alone. */
  only: boolean
  fileBytes: (path: string) => Uint8Array | undefined
  onStep: (step: RehearsedStep) => void
  signal: AbortSignal
}

interface Remembered {
  personId: number
  key: string
  memories: Memory[]
}

export class Rehearsals {
  /** Who makes each. */
  private readonly underWay: number[] = []
  private readonly memories = new Map<string, Remembered>()

  /** @param folder - of the notes of those under way */
  constructor(private readonly folder: string) {}

  /** What was kept before a step of an earlier rehearsal: of the same person, project and addresses alone. */
  memoryOf(who: Rehearser, { rehearsal, step }: { rehearsal: string; step: string }): Memory | undefined {
    const found = this.memories.get(rehearsal)
    return found?.key === keyOf(who) ? found.memories[Number(step)] : undefined
  }

  canResume(id: string, personId: number): boolean {
    return this.memories.get(id)?.personId === personId
  }

  /**
   * Does what makes a rehearsal, from reading its plan on.
   *
   * @throws Problem where as many are under way as may be
   */
  async within<T>(personId: number, work: () => Promise<T>): Promise<T> {
    if (this.underWay.filter((id) => id === personId).length >= MOST_OF_A_PERSON)
      throw new Problem(429, 'BUSY', 'two rehearsals of yours are under way: wait until one has ended, or cancel it')
    if (this.underWay.length >= MOST_IN_ALL)
      throw new Problem(429, 'BUSY', 'eight rehearsals are under way on this server: try again in a minute')
    this.underWay.push(personId)
    try {
      return await work()
    } finally {
      this.underWay.splice(this.underWay.indexOf(personId), 1)
    }
  }

  /** Makes one; what each step had kept is remembered where it came to its end. */
  async make(id: string, who: Rehearser, { secrets, memory, only, onStep, ...asked }: Asked): Promise<Rehearsal> {
    const memories: Memory[] = []
    const made = await rehearseApart({
      ...asked,
      target: who.target,
      resume: memory === undefined ? undefined : { memory, only },
      run: { id, seed: asked.plan.seed, startedAtMs: Date.now(), secrets, overrides: {} },
      onStep: (step, remembered) => {
        memories.push(remembered)
        onStep(step)
      },
      journal: { path: join(this.folder, `${PREFIX}${id}.json`), note: noteOf(who) },
    })
    if (!asked.signal.aborted) this.remember(id, { personId: who.personId, key: keyOf(who), memories })
    return made
  }

  /** Says of each rehearsal that was cut off with its server what became of it. */
  async recover(): Promise<void> {
    for (const file of readdirSync(this.folder).filter((name) => name.startsWith(PREFIX))) {
      const path = join(this.folder, file)
      const found = readNote(path)
      if (found !== undefined) await untilGone(found.pid)
      // One that came to the end of its teardown has taken its note away.
      if (found !== undefined && existsSync(path)) {
        const detail = `${found.planFile}: it was ended with its server, and its teardown was not done`
        await note({
          personId: null,
          who: 'the server',
          event: 'found a rehearsal cut off',
          detail,
          projectId: found.projectId,
        })
      }
      rmSync(path, { force: true })
    }
  }

  private remember(id: string, remembered: Remembered): void {
    this.memories.set(id, remembered)
    for (const old of [...this.memories.keys()].slice(0, -MOST_REMEMBERED)) this.memories.delete(old)
  }
}

const PREFIX = 'rehearsal-'
const NOTE = object({
  projectId: number().required(),
  planFile: string().required(),
  pid: number().required(),
})

const noteOf = ({ projectId, planFile }: Rehearser): Omit<InferType<typeof NOTE>, 'pid'> => ({ projectId, planFile })

/** What a memory may go to: whoever has it can send what it holds. */
const keyOf = ({ personId, projectId, target }: Rehearser): string =>
  JSON.stringify([personId, projectId, target.name, boundTo(target)])

function readNote(path: string): InferType<typeof NOTE> | undefined {
  try {
    return NOTE.validateSync(JSON.parse(readFileSync(path, 'utf8')))
  } catch (error) {
    log.warn({ err: error }, 'the note of a rehearsal cannot be read')
    return undefined
  }
}

async function untilGone(pid: number): Promise<void> {
  const lastMs = performance.now() + GONE_WITHIN_MS
  while (isLive(pid, 'rehearse/rehearsal-process') && performance.now() < lastMs)
    await sleep(LOOK_AGAIN_MS, undefined, { ref: false })
}
