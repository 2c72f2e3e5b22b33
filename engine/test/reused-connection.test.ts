import { createServer, type Server } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { journeyOf, runPlan } from './run-plan.js'

// A server that answers once on each connection, and closes it without a word when it is used again, as one does whose
// keep-alive time is over just then.
let server: Server
let origin = ''
let requests = 0
beforeAll(async () => {
  server = createServer((socket) => {
    let answered = false
    socket.on('error', () => undefined)
    socket.on('data', () => {
      requests++
      if (answered) socket.destroy()
      else socket.write('HTTP/1.1 200 OK\r\ncontent-length: 2\r\n\r\nok')
      answered = true
    })
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = server.address()
  origin = `http://127.0.0.1:${String(typeof address === 'object' ? address?.port : 0)}`
})
afterAll(() => {
  server.close()
})

describe('a reused connection that is closed unanswered', () => {
  it('lets what may be sent twice be sent once more, and counts it', async () => {
    requests = 0
    const { result } = await runPlan(origin, journeyOf('      - send: GET /a\n      - send: GET /b\n', 1))

    expect(requests).toBe(3)
    expect(result.steps.map(({ requests: count, failed, resent }) => [count, failed, resent])).toEqual([
      [1, 0, 0],
      [1, 0, 1],
    ])
  })

  it('fails what may not', async () => {
    requests = 0
    const { result } = await runPlan(
      origin,
      journeyOf('      - send: GET /a\n      - send: POST /b\n        text: x\n', 1),
    )

    expect(requests).toBe(2)
    expect(result.steps.map(({ failed, failures }) => [failed, failures[0]?.kind])).toEqual([
      [0, undefined],
      [1, 'reset'],
    ])
  })
})
