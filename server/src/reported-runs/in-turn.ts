// Large reports, a few at once: each lies in memory until it is read.
import type { RequestHandler } from 'express'
import { Problem } from '../http/problem.js'
import { visitorIn } from '../people/access.js'

const LARGE_BYTES = 1_000_000
const MOST_OF_A_PERSON = 2
const MOST = 6

/** Refuses a large body where the one who sends it sends two already, or all do six; the command tries again. */
export function largeOnesInTurn(): RequestHandler {
  const sending: number[] = []
  return (request, response, next) => {
    const person = visitorIn(request)?.person.id
    // Without a length it may be of any, and with an encoding too.
    const isLarge = !(Number(request.headers['content-length']) < LARGE_BYTES) || 'content-encoding' in request.headers
    if (person === undefined || !isLarge) {
      next()
      return
    }
    if (sending.length >= MOST || sending.filter((one) => one === person).length >= MOST_OF_A_PERSON)
      throw new Problem(429, 'BUSY', 'other large reports are being read; try again in a few seconds')
    sending.push(person)
    response.once('close', () => {
      sending.splice(sending.indexOf(person), 1)
    })
    next()
  }
}
