// A few server-made pages over the same data.
import { Router } from 'express'
import { HARBOURS, type Sailing, type World } from './world.js'
import type { Worker } from './service.js'

export function siteRoutes(world: World, worker: Worker): Router {
  const site = Router()
  site.get('/', worker.route('site', 6, (_request, response) => {
    const links = HARBOURS.map((name) => `<li><a href="/timetable/${name}">${name}</a></li>`).join('')
    response.type('html').send(page('Larkholm Ferries', `<ul>${links}</ul>`))
  })) // prettier-ignore
  site.get('/timetable/:harbour', worker.route('site', 10, (request, response) => {
    const day = new Date().toISOString().slice(0, 10)
    const rows = world.search(String(request.params['harbour']), day).map(row).join('')
    response.status(rows === '' ? 404 : 200).type('html').send(page('Timetable', `<table>${rows}</table>`))
  })) // prettier-ignore
  site.get('/boards', (_request, response) => {
    response.redirect(302, '/timetable/LARKHOLM')
  })
  return site
}

const row = (sailing: Sailing) =>
  `<tr><td>${sailing.departs}</td><td>${sailing.to}</td><td>${String(sailing.places)} places</td></tr>`
const page = (title: string, body: string) =>
  `<!doctype html><html lang="en"><meta charset="utf-8"><title>${title}</title><h1>${title}</h1>${body}</html>`
