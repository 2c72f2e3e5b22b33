// A few server-made pages over the same data: from the timetable to a place that is held.
import { randomUUID } from 'node:crypto'
import { Router, urlencoded, type Request } from 'express'
import { HARBOURS, type Sailing, type World } from './world.js'
import type { Worker } from './worker.js'

const MOST_TICKETS = 20_000

// eslint-disable-next-line max-lines-per-function -- one route after another
export function siteRoutes(world: World, worker: Worker): Router {
  const site = Router()
  /** Tickets of forms that were shown; each is good for one hold. */
  const tickets = new Set<string>()

  site.get(
    '/',
    worker.route('site', 6, (_request, response) => {
      const links = HARBOURS.map((name) => `<li><a href="/timetable/${name}">${name}</a></li>`).join('')
      response.type('html').send(page('Larkholm Ferries', `<ul>${links}</ul>`))
    }),
  )
  site.get('/style.css', (_request, response) => {
    response.type('css').send('body { font-family: serif; margin: 2rem }')
  })
  site.get(
    '/timetable/:harbour',
    worker.route('site', 10, (request, response) => {
      const day = new Date().toISOString().slice(0, 10)
      const rows = world.search(String(request.params['harbour']), day).map(row).join('')
      response
        .status(rows === '' ? 404 : 200)
        .type('html')
        .send(page('Timetable', `<table>${rows}</table>`))
    }),
  )
  site.get(
    '/crossing/:sailing',
    worker.route('site', 8, (request, response) => {
      const sailing = world.find(String(request.params['sailing']))
      if (sailing === undefined) {
        response.status(404).type('html').send(page('No such crossing', ''))
        return
      }
      const ticket = randomUUID()
      // A long load asks for many forms and sends few of them.
      if (tickets.size >= MOST_TICKETS) tickets.clear()
      tickets.add(ticket)
      const form = `<form method="post" action="/crossing/${sailing.id}/hold"><input type="hidden" name="ticket" value="${ticket}"><label>People <input name="people" value="2"></label><button>Hold places</button></form>`
      response.type('html').send(page(`${sailing.from} to ${sailing.to}, ${sailing.departs}`, form))
    }),
  )
  site.post(
    '/crossing/:sailing/hold',
    urlencoded({ extended: false }),
    worker.route('hold', 20, (request, response) => {
      const { ticket, people } = fieldsOf(request)
      const sailing = world.find(String(request.params['sailing']))
      if (sailing === undefined || !tickets.delete(ticket ?? '')) {
        response.status(409).type('html').send(page('This form is spent', ''))
        return
      }
      const hold = world.addHold({ sailing: sailing.id, people: Number(people) || 1, run: undefined })
      response.redirect(303, `/held/${hold.id}`)
    }),
  )
  site.get(
    '/held/:hold',
    worker.route('site', 5, (request, response) => {
      const hold = world.holds.get(String(request.params['hold']))
      response
        .status(hold === undefined ? 404 : 200)
        .type('html')
        .send(page('Held', `<p>${String(hold?.people ?? 0)} places</p>`))
    }),
  )
  site.get('/boards', (_request, response) => {
    response.redirect(302, '/timetable/LARKHOLM')
  })
  return site
}

const row = (sailing: Sailing) =>
  `<tr><td>${sailing.departs}</td><td><a href="/crossing/${sailing.id}">${sailing.to}</a></td><td>${String(sailing.places)} places</td></tr>`
const page = (title: string, body: string) =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title><link rel="stylesheet" href="/style.css"><link rel="icon" href="data:,"><h1>${title}</h1>${body}</html>`

function fieldsOf(request: Request): Record<string, string | undefined> {
  const body: unknown = request.body
  if (typeof body !== 'object' || body === null) return {}
  return Object.fromEntries(Object.entries(body).map(([name, value]) => [name, String(value)]))
}
