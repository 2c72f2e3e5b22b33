// The audit log on its way to where a team keeps its logs: each entry a CloudEvent, in order, signed as Standard
// Webhooks says; how far it has come stands in the database, so that nothing is lost while either side is away.
import { CloudEvent, HTTP } from 'cloudevents'
import { Op } from 'sequelize'
import { Webhook } from 'standardwebhooks'
import { AuditSentRow, EventRow } from '../database/models.js'
import { CHANGES } from '../events/changes.js'
import { log } from '../observability/log.js'
import { StartFault } from '../database/start-fault.js'
import { postEvent, refuseAddress } from './post.js'

export interface AuditTo {
  url: string
  /** As Standard Webhooks writes it: `whsec_` and base64. */
  secret: string
}

const LOOK_EVERY_MS = 15_000
const AT_ONCE = 100
const THE_ROW = 1

/**
 * Sends what has come and what comes.
 *
 * @returns stops it
 * @throws StartFault where the address or the secret cannot be used
 */
export function keepSending({ url, secret }: AuditTo): () => Promise<void> {
  const signer = signerOf(url, secret)
  const gone = new AbortController()
  let isAsked = false
  let going = Promise.resolve()
  const look = () => {
    if (isAsked) return
    isAsked = true
    going = going.then(async () => {
      isAsked = false
      await sendAll(url, signer, gone.signal).catch((error: unknown) => {
        log.error({ err: error }, 'the audit log could not be sent; it is tried again')
      })
    })
  }
  const timer = setInterval(look, LOOK_EVERY_MS)
  CHANGES.on('audit', look)
  look()
  return async () => {
    clearInterval(timer)
    CHANGES.off('audit', look)
    gone.abort()
    await going
  }
}

function signerOf(url: string, secret: string): Webhook {
  try {
    refuseAddress(url)
    return new Webhook(secret)
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error)
    throw new StartFault(`--audit-to ${url}, with the secret of JOLT_GATE_AUDIT_SECRET, cannot be used: ${why}`)
  }
}

/** Up to the first that is not taken: an entry never comes before the one that it holds. */
async function sendAll(url: string, signer: Webhook, gone: AbortSignal): Promise<void> {
  for (;;) {
    const sent = (await AuditSentRow.findByPk(THE_ROW))?.eventId ?? 0
    const rows = await EventRow.findAll({ where: { id: { [Op.gt]: sent } }, order: [['id', 'ASC']], limit: AT_ONCE })
    if (rows.length === 0) return
    for (const row of rows) {
      const { status, words } = await postEvent(url, messageOf(row), signer, gone)
      if (gone.aborted) return
      if (status < 200 || status > 299) throw new Error(`${url}: ${words}`)
      await AuditSentRow.upsert({ id: THE_ROW, eventId: row.id })
    }
  }
}

function messageOf({ id, at, who, event: what, detail, projectId, hash }: EventRow): { id: string; body: string } {
  const event = new CloudEvent({
    ...{ id: `audit/${String(id)}`, source: '/audit-log', type: 'audit.noted', time: at.toISOString() },
    data: { entry: id, who, what, detail, project: projectId, hash },
  })
  return { id: event.id, body: String(HTTP.structured(event).body) }
}
