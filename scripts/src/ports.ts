import { createServer } from 'node:net'

/** The wanted port when it is free on loopback, else any free one. */
export async function freePort(wanted: number): Promise<number> {
  return (await tryPort(wanted)) ?? (await tryPort(0)) ?? 0
}

function tryPort(port: number): Promise<number | undefined> {
  return new Promise((resolve) => {
    const server = createServer()
    server.once('error', () => {
      resolve(undefined)
    })
    server.listen(port, '127.0.0.1', () => {
      const address = server.address()
      server.close(() => {
        resolve(typeof address === 'object' && address !== null ? address.port : undefined)
      })
    })
  })
}
