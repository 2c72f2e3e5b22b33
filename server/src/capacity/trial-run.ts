// One trial of a search, made by a process of its own like any run; nothing of it is kept but what it came to.
import { rmSync } from 'node:fs'
import { join } from 'node:path'
import { filesSentBy, type Judgement, type Plan, type RunResult } from '@jolt-gate/core'
import { newId, VERSION } from '@jolt-gate/core/identity'
import {
  lastCalibration,
  SearchEnded,
  startGenerator,
  type FleetAsked,
  type FromGenerator,
  type Generator,
  type SetUp,
} from '@jolt-gate/engine'
import { log } from '../observability/log.js'
import type { AskedRun } from '../runs/queue.js'

export class TrialRun {
  private generator: Generator | undefined
  private setup: SetUp | undefined
  private result: RunResult | undefined
  private judgement: Judgement | undefined

  constructor(
    private readonly asked: AskedRun,
    private readonly folder: string,
    /** That makes its load, where the plan names places. */
    private readonly fleet: FleetAsked | undefined,
  ) {}

  stop(by: string): void {
    this.generator?.stop(by)
  }

  /** @throws SearchEnded where its process died: what it had set up is torn down by another */
  async make(plan: Plan): Promise<{ result: RunResult; judgement: Judgement }> {
    const { target, secrets, head, fileBytes } = this.asked
    const id = newId()
    const journal = join(this.folder, `trial-${id}.jsonl`)
    const order = {
      ...{ plan, target, calibration: lastCalibration() },
      identity: { id, tool: VERSION, plan: { name: plan.name, file: plan.file, ...head, seed: plan.seed } },
    }
    const files = new Map(filesSentBy(plan).map((path) => [path, fileBytes(path) ?? new Uint8Array()]))
    const common = { journal, order, secrets, files, fleet: plan.places === undefined ? undefined : this.fleet }
    try {
      const died = await this.run({ kind: 'run', ...common })
      if (died !== undefined) {
        log.error({ trial: id, how: died }, 'generator of a trial lost')
        const reason = `the generator of a trial ${died}`
        await this.run({ kind: 'close', ...common, reason, setup: this.setup, tearsDown: true })
        throw new SearchEnded(3, [reason])
      }
    } finally {
      rmSync(journal, { force: true })
    }
    const { result, judgement } = this
    if (result === undefined || judgement === undefined) throw new SearchEnded(3, ['a trial ended without a result'])
    return { result, judgement }
  }

  private run(order: Parameters<typeof startGenerator>[0]): Promise<string | undefined> {
    this.generator = startGenerator(order, (message) => {
      this.receive(message)
    })
    return this.generator.ended
  }

  private receive(message: FromGenerator): void {
    if (message.kind === 'setup') this.setup = message.setup
    else if (message.kind === 'result') this.result = message.result
    else if (message.kind === 'done') this.judgement = message.judgement
  }
}
