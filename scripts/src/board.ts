// The notice board of the demo's team: it hears of runs and stages by a webhook, and has no room for some of them.
import { createServer } from 'node:http'
import { demoSession } from './demo.js'
import { freePort } from './ports.js'

const BOARD_PORT = 7730
const EVENTS = ['run.verdict', 'stage.opened', 'stage.shut', 'trend.shift']
/** Every so often the board is wiped: what comes then is sent again a few seconds later. */
const WIPED_EVERY = 7

/** Starts the board, and has the demo's first project tell it. */
export async function startBoard(server: string): Promise<{ ended: Promise<string>; stop(): Promise<void> }> {
  const port = await freePort(BOARD_PORT)
  let heard = 0
  const board = createServer((request, response) => {
    request.resume()
    const isWiped = ++heard % WIPED_EVERY === 0
    response.writeHead(isWiped ? 503 : 200).end(isWiped ? 'the board is being wiped' : 'on the board')
  })
  await new Promise<void>((resolve) => board.listen(port, '127.0.0.1', resolve))
  await tell(server, `http://127.0.0.1:${String(port)}/board`)
  return {
    // It ends with the rest.
    ended: new Promise(() => undefined),
    stop: () =>
      new Promise((resolve) => {
        board.closeAllConnections()
        board.close(() => {
          resolve()
        })
      }),
  }
}

async function tell(server: string, url: string): Promise<void> {
  const json = await demoSession(server)
  const webhooks = `${server}/api/projects/1/webhooks`
  const known = await json<{ webhooks: { id: number; url: string }[] }>(webhooks)
  if (known.webhooks.some((one) => one.url === url)) return
  // The board of an earlier start answered at another port.
  for (const one of known.webhooks)
    if (one.url.endsWith('/board')) await json(`${webhooks}/${String(one.id)}`, { method: 'DELETE' }, 'text')
  await json(webhooks, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ url, events: EVENTS }),
  })
}
