// How many streams a person has open at once: each holds a connection and is told of all that happens.
import type { RequestHandler } from 'express'
import { Problem } from '../http/problem.js'
import { visitorIn } from './access.js'

const MOST = 40
const open = new Map<number, number>()

/** Refuses a stream of somebody who has forty. */
export const fewStreams: RequestHandler = (request, response, next) => {
  const person = visitorIn(request)?.person.id
  if (person !== undefined) {
    const now = open.get(person) ?? 0
    if (now >= MOST)
      throw new Problem(429, 'TOO_MANY', `you have ${String(MOST)} streams open: close pages that you do not look at`)
    open.set(person, now + 1)
    response.once('close', () => {
      open.set(person, (open.get(person) ?? 1) - 1)
    })
  }
  next()
}
