// Events on their way to others: what happened becomes a delivery in the database, each is sent until it is answered,
// with growing waits. What a server of before left is sent by the next one.
import { CloudEvent, HTTP } from 'cloudevents'
import pLimit from 'p-limit'
import type { Json } from '@jolt-gate/core'
import { newId } from '@jolt-gate/core/identity'
import { Op } from 'sequelize'
import { DeliveryRow, WebhookRow, type RunRow } from '../database/models.js'
import { log } from '../observability/log.js'
import { CHANGES } from '../events/changes.js'
import { eventsOf, type WebhookEvent } from './events.js'
import { NO_ANSWER, postEvent, type Answered } from './post.js'
import type { Signing } from '../pushes/signing.js'

const LOOK_EVERY_MS = 15_000
const SETTLED_MS = 400
/** What happened longer ago, while the server was away, is no news any more. */
const MOST_BACK_MS = 7 * 86_400_000
/** Clocks of machines that hand runs in may be behind. */
const OVERLAP_MS = 5 * 60_000
const KEPT_MS = 30 * 86_400_000
const HOUR_MS = 3_600_000
const MOST_KNOWN = 1000
const AT_ONCE = 4
const DUE_AT_ONCE = 100
const MOST_SUBJECT = 300

/**
 * Waits before each further attempt, as Standard Webhooks proposes ("Deliverability and reliability"): in all about
 * three days. From memory.
 */
export const WAITS_MS = [5, 5 * 60, 30 * 60, 2 * 3600, 5 * 3600, 10 * 3600, 14 * 3600, 20 * 3600, 24 * 3600].map(
  (seconds) => seconds * 1000,
)

export class Webhooks {
  private readonly inTurn = pLimit(1)
  /** Of each project its own: one whose address never answers holds up no other. */
  private readonly slots = new Map<number, ReturnType<typeof pLimit>>()
  private readonly underWay = new Map<number, Promise<void>>()
  private readonly lookedAt = new Map<number, number>()
  /** Runs of which was told what came of them, by project: their verdicts. */
  private readonly known = new Map<number, Map<string, string | null>>()
  private forgotAt = 0
  private readonly closing = new AbortController()
  private origin = ''
  private timer: NodeJS.Timeout | undefined
  private soon: NodeJS.Timeout | undefined
  private readonly onChange = (): void => {
    this.soon ??= setTimeout(() => {
      this.soon = undefined
      void this.look()
    }, SETTLED_MS)
  }

  /** @param waitsMs - before each further attempt */
  constructor(
    private readonly signing: Signing,
    private readonly waitsMs: readonly number[] = WAITS_MS,
  ) {}

  /**
   * Looks from now on.
   *
   * @param origin - under which people reach this server
   */
  follow(origin: string): void {
    this.origin = origin
    CHANGES.on('queue', this.onChange)
    CHANGES.on('project', this.onChange)
    this.timer = setInterval(this.onChange, LOOK_EVERY_MS)
    this.onChange()
  }

  /** What is cut off here is sent again by the next server. */
  async close(): Promise<void> {
    CHANGES.off('queue', this.onChange)
    CHANGES.off('project', this.onChange)
    clearInterval(this.timer)
    clearTimeout(this.soon)
    this.closing.abort()
    await this.inTurn(() => Promise.resolve())
    await Promise.all(this.underWay.values())
  }

  /** Writes down what has happened, and sends what is due. */
  look(nowMs = Date.now()): Promise<void> {
    return this.inTurn(async () => {
      if (this.closing.signal.aborted) return
      const webhooks = await WebhookRow.findAll()
      for (const projectId of new Set(webhooks.map((one) => one.projectId))) {
        const own = webhooks.filter((one) => one.projectId === projectId)
        await this.writeDown(projectId, own, nowMs)
      }
      await this.forgetOld(nowMs)
      // What was written down just now is due, too.
      await this.sendDue(webhooks, Math.max(nowMs, Date.now()))
    }).catch((error: unknown) => {
      log.error({ err: error }, 'webhooks could not be looked at')
    })
  }

  /** An event that only says that the address is reached. */
  async test(webhook: WebhookRow, by: string): Promise<DeliveryRow> {
    const row = await this.add(webhook, {
      ...{ id: `webhook.test/${newId()}`, type: 'webhook.test', subject: `a test, asked for by ${by}`, at: new Date() },
      data: { project: webhook.projectId, askedBy: by },
    })
    return this.sendNow(webhook, row)
  }

  /** Sends one at once, whatever came of it before. */
  async sendNow(webhook: WebhookRow, row: DeliveryRow): Promise<DeliveryRow> {
    await this.underWay.get(row.id)
    await this.begin(webhook, row)
    return row.reload()
  }

  private async writeDown(projectId: number, webhooks: readonly WebhookRow[], nowMs: number): Promise<void> {
    const first = Math.min(...webhooks.map(({ madeAt }) => madeAt.getTime()))
    const since = new Date(Math.max(first, this.lookedAt.get(projectId) ?? nowMs - MOST_BACK_MS))
    const types = new Set(webhooks.flatMap(({ events }) => events))
    const known = this.known.get(projectId) ?? new Map<string, string | null>()
    try {
      const isDone = ({ id, verdict }: RunRow) => known.get(id) === verdict
      const { happened, ended } = await eventsOf(projectId, this.origin, types, since, isDone)
      for (const one of happened)
        for (const webhook of webhooks)
          if (webhook.events.includes(one.type) && one.at >= webhook.madeAt && !(await isTold(webhook, one)))
            await this.add(webhook, one)
      this.lookedAt.set(projectId, nowMs - OVERLAP_MS)
      for (const { id, verdict } of ended) known.set(id, verdict)
      this.known.set(projectId, new Map([...known].slice(-MOST_KNOWN)))
    } catch (error) {
      log.error({ err: error, project: projectId }, 'what happened in the project could not be told to its webhooks')
    }
  }

  /** As a CloudEvent (1.0, JSON), in full: what is sent again later is the same to the byte. */
  private add({ id: webhookId, projectId }: WebhookRow, happened: WebhookEvent): Promise<DeliveryRow> {
    const { id, type, at, data } = happened
    const subject = happened.subject.slice(0, MOST_SUBJECT)
    const event = new CloudEvent<Json>({
      ...{ id, type, subject, time: at.toISOString(), data },
      source: `${this.origin}/projects/${String(projectId)}`,
      datacontenttype: 'application/json',
    })
    const now = new Date()
    return DeliveryRow.create({
      ...{ webhookId, eventId: id, type, subject, body: String(HTTP.structured(event).body) },
      ...{ state: 'waiting', attempts: 0, answer: '', madeAt: now, nextAt: now, answeredAt: null },
    })
  }

  /** Of a webhook that is new, what happened since it was made may have been looked at without it. */
  lookAnew(projectId: number): void {
    this.known.delete(projectId)
    this.onChange()
  }

  private async forgetOld(nowMs: number): Promise<void> {
    if (nowMs - this.forgotAt < HOUR_MS) return
    await DeliveryRow.destroy({ where: { madeAt: { [Op.lt]: new Date(nowMs - KEPT_MS) } } })
    this.forgotAt = nowMs
  }

  private async sendDue(webhooks: readonly WebhookRow[], nowMs: number): Promise<void> {
    const active = new Map(webhooks.filter(({ isPaused }) => !isPaused).map((webhook) => [webhook.id, webhook]))
    for (const webhook of active.values()) {
      const due = await DeliveryRow.findAll({
        where: { state: 'waiting', nextAt: { [Op.lte]: new Date(nowMs) }, webhookId: webhook.id },
        order: [['madeAt', 'ASC']],
        limit: DUE_AT_ONCE,
      })
      for (const row of due) if (!this.underWay.has(row.id)) void this.begin(webhook, row)
    }
  }

  private begin(webhook: WebhookRow, row: DeliveryRow): Promise<void> {
    const slots = this.slots.get(webhook.projectId) ?? pLimit(AT_ONCE)
    this.slots.set(webhook.projectId, slots)
    const sent = slots(() => this.send(webhook, row))
      .catch((error: unknown) => {
        log.error({ err: error, delivery: row.id }, 'a delivery could not be written down; it is sent again')
      })
      .finally(() => this.underWay.delete(row.id))
    this.underWay.set(row.id, sent)
    return sent
  }

  private async send(webhook: WebhookRow, row: DeliveryRow): Promise<void> {
    const { signal } = this.closing
    if (signal.aborted) return
    const signer = this.signing.with(webhook.projectId, webhook.sealed)
    const answer =
      signer === undefined
        ? { ...NO_ANSWER, words: 'its secret was encrypted with another key: remove the webhook and add it again' }
        : await postEvent(webhook.url, { id: row.eventId, body: row.body }, signer, signal)
    // Asked again: the signal may have come while it was sent.
    if (this.closing.signal.aborted) return
    await this.note(webhook, row, answer)
    CHANGES.emit('project', webhook.projectId)
  }

  private async note(webhook: WebhookRow, row: DeliveryRow, { status, words, waitMs }: Answered): Promise<void> {
    const attempts = row.attempts + 1
    const answered = { attempts, answer: words.slice(0, 300), answeredAt: new Date() }
    const isGone = status === 410
    const wait = this.waitsMs[row.attempts]
    if (status >= 200 && status < 300) await row.update({ ...answered, state: 'delivered' })
    else if (wait === undefined || isGone) await row.update({ ...answered, state: 'failed' })
    else {
      // Apart from one another, so that what has failed together does not come back together.
      const nextAt = new Date(Date.now() + Math.max(wait * (1 + 0.2 * Math.random()), waitMs))
      await row.update({ ...answered, state: 'waiting', nextAt })
      if (nextAt.getTime() - Date.now() < LOOK_EVERY_MS)
        setTimeout(this.onChange, nextAt.getTime() - Date.now()).unref()
    }
    // Standard Webhooks: 410 says that nothing more is wanted.
    if (isGone) await webhook.update({ isPaused: true })
  }
}

/** Whether a webhook has heard of it already, or of what is the same: a shift that is found a run beside. */
async function isTold({ id: webhookId }: WebhookRow, { id, near }: WebhookEvent): Promise<boolean> {
  if ((await DeliveryRow.count({ where: { webhookId, eventId: id } })) > 0) return true
  if (near === undefined) return false
  const like = { webhookId, eventId: { [Op.startsWith]: near.begins } }
  const last = await DeliveryRow.findOne({ where: like, order: [['id', 'DESC']] })
  return last !== null && Math.abs(Number(last.eventId.slice(near.begins.length)) - near.number) <= near.within
}
