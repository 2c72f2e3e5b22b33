// The booking API.
import { Router, type Request } from 'express'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Worker } from './worker.js'
import type { World } from './world.js'

/** Mean service times in ms. */
const MEAN = { signIn: 10, search: 18, view: 7, hold: 20, pay: 24, small: 5 }

// eslint-disable-next-line max-lines-per-function -- one route after another
export function apiRoutes(world: World, worker: Worker): Router {
  const api = Router()
  /** Sailings on which a hold is being written; only the race looks at it. */
  const writing = new Map<string, string>()

  api.post(
    '/sessions',
    worker.route('sign in', MEAN.signIn, (request, response) => {
      const { user, password } = fieldsOf(request)
      if (user !== 'purser' || password !== 'grey-gull-9') {
        response.status(401).json({ error: 'user or password is wrong' })
        return
      }
      response.status(201).json({ token: world.signIn() })
    }),
  )

  api.get(
    '/sailings',
    worker.route('search', MEAN.search, (request, response) => {
      const { from, day } = request.query
      if (typeof from !== 'string' || typeof day !== 'string' || !/^\d{4}-\d\d-\d\d$/.test(day)) {
        response.status(400).json({ error: 'from and day (YYYY-MM-DD) are needed' })
        return
      }
      const found = JSON.stringify({ sailings: world.search(from, day) })
      const { slowFaresMs } = worker.flaws
      if (slowFaresMs === 0) response.type('json').send(found)
      else {
        response.type('json').write(found.slice(0, 1))
        setTimeout(() => response.end(found.slice(1)), slowFaresMs)
      }
    }),
  )

  api.get(
    '/sailings/:sailing',
    worker.route('view', MEAN.view, (request, response) => {
      const sailing = world.find(String(request.params['sailing']))
      if (sailing === undefined) response.status(404).json({ error: 'no such sailing' })
      else response.json(sailing)
    }),
  )

  api.post(
    '/holds',
    worker.route('hold', MEAN.hold, async (request, response) => {
      if (!world.isSignedIn(request.headers.authorization)) {
        response.status(401).json({ error: 'sign in first' })
        return
      }
      const { sailing, people, run } = fieldsOf(request)
      if (typeof sailing !== 'string' || world.find(sailing) === undefined || typeof people !== 'number') {
        response.status(400).json({ error: 'sailing and people are needed' })
        return
      }
      const hold = world.addHold({ sailing, people, run: typeof run === 'string' ? run : undefined })
      if (worker.flaws.race) {
        const other = writing.get(sailing)
        writing.set(sailing, hold.id)
        await sleep(3)
        if (other !== undefined) world.holds.delete(other)
        if (writing.get(sailing) === hold.id) writing.delete(sailing)
      }
      response.status(201).json(hold)
    }),
  )

  api.get(
    '/holds/:hold',
    worker.route('view hold', MEAN.small, (request, response) => {
      const hold = world.holds.get(String(request.params['hold']))
      if (hold === undefined) response.status(404).json({ error: 'no such hold' })
      else response.json(hold)
    }),
  )

  api.delete(
    '/holds',
    worker.route('drop holds', MEAN.small, (request, response) => {
      if (!world.isSignedIn(request.headers.authorization)) response.status(401).json({ error: 'sign in first' })
      else
        response.json({
          dropped: world.dropHolds(typeof request.query['run'] === 'string' ? request.query['run'] : ''),
        })
    }),
  )

  api.post(
    '/bookings',
    worker.route('pay', MEAN.pay, (request, response) => {
      const { hold, amount } = fieldsOf(request)
      const held = typeof hold === 'string' ? world.holds.get(hold) : undefined
      if (!world.isSignedIn(request.headers.authorization)) response.status(401).json({ error: 'sign in first' })
      else if (held === undefined || typeof amount !== 'number')
        response.status(409).json({ error: 'the hold is gone' })
      else response.status(201).json(world.book(held, amount))
    }),
  )

  api.delete(
    '/bookings/:booking',
    worker.route('cancel', MEAN.small, (request, response) => {
      const booking = world.bookings.get(String(request.params['booking']))
      if (booking === undefined) {
        response.status(404).json({ error: 'no such booking' })
        return
      }
      booking.cancelled = true
      response.status(204).end()
    }),
  )

  return api
}

function fieldsOf(request: Request): Record<string, unknown> {
  const body: unknown = request.body
  return typeof body === 'object' && body !== null ? { ...body } : {}
}
