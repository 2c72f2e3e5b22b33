// Webhooks: who hears of events, what became of each delivery, and pushes that others tell of.
import { json, Router, type Request, type RequestHandler } from 'express'
import { ipKeyGenerator, rateLimit } from 'express-rate-limit'
import { ROUTES, type DeliveryLine, type PushSourceLine, type WebhookLine } from '@jolt-gate/core/api'
import { UniqueConstraintError } from 'sequelize'
import { DeliveryRow, ProjectRow, PushRow, PushSourceRow, WebhookRow } from '../database/models.js'
import { Problem } from '../http/problem.js'
import { serve } from '../http/serve.js'
import { noteOf } from '../people/audit-log.js'
import { projectOf } from '../projects/project-of.js'
import { refuseAddress } from './post.js'
import { takePush } from '../pushes/pushes.js'
import type { Signing } from '../pushes/signing.js'
import type { Webhooks } from './webhooks.js'

const MOST_OF_EACH = 20
const LISTED = 100

// eslint-disable-next-line max-lines-per-function -- one route after another
export function webhookRoutes(webhooks: Webhooks, signing: Signing): Router {
  const routes = Router()

  serve(routes, ROUTES.webhooks, async ({ params }) => {
    const { project } = await projectOf(params.project)
    const of = { where: { projectId: project.id }, order: [['id', 'ASC'] as [string, string]] }
    const sources = []
    for (const row of await PushSourceRow.findAll(of)) sources.push(await sourceLine(row))
    return { webhooks: (await WebhookRow.findAll(of)).map(webhookLine), sources }
  })

  serve(routes, ROUTES.addWebhook, async ({ person, params, body: { url, events } }) => {
    const { project } = await projectOf(params.project)
    refuseAddress(url)
    const projectId = project.id
    if ((await WebhookRow.count({ where: { projectId } })) >= MOST_OF_EACH)
      throw new Problem(409, 'TOO_MANY', `a project has at most ${String(MOST_OF_EACH)} webhooks`)
    const { secret, sealed } = signing.newSecret(projectId)
    const row = await WebhookRow.create({
      ...{ projectId, url, events: [...new Set(events)], sealed, isPaused: false },
      ...{ madeBy: person.name, madeAt: new Date() },
    })
    webhooks.lookAnew(projectId)
    await noteOf(person, 'added a webhook', `${url}: ${row.events.join(', ')}`, projectId)
    return { webhook: webhookLine(row), secret }
  })

  serve(routes, ROUTES.pauseWebhook, async ({ person, params, body: { isPaused } }) => {
    const row = await webhookOf(params.project, params.webhook)
    await row.update({ isPaused })
    await noteOf(person, isPaused ? 'paused a webhook' : 'let a webhook continue', row.url, row.projectId)
    return webhookLine(row)
  })

  serve(routes, ROUTES.removeWebhook, async ({ person, params }) => {
    const row = await webhookOf(params.project, params.webhook)
    await row.destroy()
    await noteOf(person, 'removed a webhook', row.url, row.projectId)
    return undefined
  })

  serve(routes, ROUTES.testWebhook, async ({ person, params }) =>
    deliveryLine(await webhooks.test(await webhookOf(params.project, params.webhook), person.name)),
  )

  serve(routes, ROUTES.deliveries, async ({ params, query: { state } }) => {
    const { project } = await projectOf(params.project)
    const of = await WebhookRow.findAll({ where: { projectId: project.id }, attributes: ['id'] })
    const rows = await DeliveryRow.findAll({
      where: { webhookId: of.map(({ id }) => id), ...(state === undefined ? {} : { state }) },
      attributes: { exclude: ['body'] },
      order: [['id', 'DESC']],
      limit: LISTED,
    })
    return { deliveries: rows.map(deliveryLine) }
  })

  serve(routes, ROUTES.delivery, async ({ params }) => {
    const { row } = await deliveryOf(params.project, params.delivery)
    return { ...deliveryLine(row), body: row.body }
  })

  serve(routes, ROUTES.sendAgain, async ({ person, params }) => {
    const { row, webhook } = await deliveryOf(params.project, params.delivery)
    await noteOf(person, 'sent a delivery again', `${row.subject} to ${webhook.url}`, webhook.projectId)
    return deliveryLine(await webhooks.sendNow(webhook, row))
  })

  serve(routes, ROUTES.addPushSource, async ({ person, params, body: { repository } }) => {
    const { project } = await projectOf(params.project)
    const projectId = project.id
    if ((await PushSourceRow.count({ where: { projectId } })) >= MOST_OF_EACH)
      throw new Problem(409, 'TOO_MANY', `a project hears of at most ${String(MOST_OF_EACH)} repositories`)
    const { secret, sealed } = signing.newSecret(projectId)
    const made = { madeBy: person.name, madeAt: new Date() }
    const row = await PushSourceRow.create({ projectId, repository, sealed, ...made }).catch((error: unknown) => {
      if (error instanceof UniqueConstraintError)
        throw new Problem(409, 'KNOWN', `${repository} is known already: remove it first for a new secret`)
      throw error
    })
    await noteOf(person, 'let pushes begin stages', repository, projectId)
    return { source: await sourceLine(row), secret }
  })

  serve(routes, ROUTES.removePushSource, async ({ person, params }) => {
    const { project } = await projectOf(params.project)
    const row = await PushSourceRow.findOne({ where: { projectId: project.id, id: Number(params.source) || 0 } })
    if (row === null) throw new Problem(404, 'NO_SOURCE', 'there is no such repository')
    await row.destroy()
    await noteOf(person, 'took pushes no longer', row.repository, project.id)
    return undefined
  })

  return routes
}

/** What was signed, as it came. */
const bodies = new WeakMap<Request, Buffer>()
const keepBody: RequestHandler = json({
  limit: '100kb',
  verify: (request, _response, bytes) => bodies.set(request as Request, bytes),
})

/** Asked by other servers, who have no account: their signature says who they are. */
export function pushRoutes(signing: Signing): Router {
  const routes = Router()
  const perAddress = rateLimit({
    windowMs: 60_000,
    limit: 120,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    keyGenerator: (request) => ipKeyGenerator(request.ip ?? ''),
    handler: () => {
      throw new Problem(429, 'TOO_MANY', 'Too many requests; try again in a minute')
    },
  })
  serve(
    routes,
    ROUTES.pushed,
    async ({ params, body, request }) => {
      const project = await ProjectRow.findByPk(/^\d{1,9}$/.test(params.project) ? Number(params.project) : 0)
      const headers = Object.fromEntries(
        ['webhook-id', 'webhook-timestamp', 'webhook-signature'].map((name) => [name, request.get(name) ?? '']),
      )
      const bytes = bodies.get(request) ?? Buffer.alloc(0)
      return { branch: await takePush(signing, project?.id ?? 0, body, bytes, headers), commit: body.commit }
    },
    { before: [perAddress, keepBody] },
  )
  return routes
}

async function webhookOf(projectAsked: string, id: string): Promise<WebhookRow> {
  const { project } = await projectOf(projectAsked)
  const row = await WebhookRow.findOne({ where: { projectId: project.id, id: Number(id) || 0 } })
  if (row === null) throw new Problem(404, 'NO_WEBHOOK', 'there is no such webhook')
  return row
}

async function deliveryOf(project: string, id: string): Promise<{ row: DeliveryRow; webhook: WebhookRow }> {
  const row = await DeliveryRow.findByPk(Number(id) || 0)
  if (row === null) throw new Problem(404, 'NO_DELIVERY', 'there is no such delivery')
  return { row, webhook: await webhookOf(project, String(row.webhookId)) }
}

const webhookLine = ({ id, url, events, isPaused, madeBy, madeAt }: WebhookRow): WebhookLine => ({
  ...{ id, url, events, isPaused, madeBy, madeAt: madeAt.toISOString() },
})

const deliveryLine = (row: DeliveryRow): DeliveryLine => ({
  ...{ id: row.id, webhook: row.webhookId, event: row.eventId, type: row.type, subject: row.subject },
  ...{ state: row.state, attempts: row.attempts, answer: row.answer, madeAt: row.madeAt.toISOString() },
  nextAt: row.state === 'waiting' ? row.nextAt.toISOString() : null,
  answeredAt: row.answeredAt?.toISOString() ?? null,
})

async function sourceLine({ id, repository, madeBy, madeAt }: PushSourceRow): Promise<PushSourceLine> {
  const last = await PushRow.findOne({ where: { sourceId: id }, order: [['id', 'DESC']] })
  return {
    ...{ id, repository, madeBy, madeAt: madeAt.toISOString() },
    last: last === null ? null : { branch: last.branch, commit: last.commit, at: last.at.toISOString() },
  }
}
