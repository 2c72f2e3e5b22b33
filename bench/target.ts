// The target of the benches: keep-alive HTTP with one small JSON answer, from bare sockets, so that it is never the
// slower side.
import { createServer } from 'node:net'

const body = JSON.stringify({ sailings: [{ id: 'LARKHOLM_OSTREY_2026-06-01_0710', places: 180 }] })
const answer = `HTTP/1.1 200 OK\r\ncontent-type: application/json\r\ncontent-length: ${body.length}\r\n\r\n${body}`
const END = '\r\n\r\n'

createServer((socket) => {
  socket.setNoDelay(true)
  socket.on('error', () => undefined)
  socket.on('data', (chunk) => {
    const requests = chunk.toString('latin1').split(END).length - 1
    if (requests > 0) socket.write(answer.repeat(requests))
  })
}).listen(0, '127.0.0.1', function (this: { address(): unknown }) {
  const address = this.address()
  const port = typeof address === 'object' && address !== null && 'port' in address ? Number(address.port) : 0
  process.stdout.write(`answers at http://127.0.0.1:${port}\n`)
})
