// Readers of streams that read slowly, or not at all.
import { createServer, type ServerResponse } from 'node:http'
import { connect, type Socket } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { BucketRow, RunRow } from '../src/database/models.js'
import { closeWhenBehind, untilRead } from '../src/http/backlog.js'
import { demoPlace, signedIn } from './place.js'
import { addRuns } from './stored-runs.js'

const { place } = demoPlace()

describe('the stream of a run', () => {
  it('gives a long run whole and in order, some seconds at a time', async () => {
    await addRuns(1, 1)
    const { id } = await RunRow.findOne({ rejectOnEmpty: true })
    const bytes = Buffer.alloc(20_000, 7)
    await BucketRow.bulkCreate(Array.from({ length: 350 }, (_, second) => ({ runId: id, second, data: bytes })))
    const headers = await signedIn(place.server.origin)

    const response = await fetch(`${place.server.origin}/api/runs/${id}/stream`, { headers })
    const text = await response.text()

    const ids = [...text.matchAll(/^event: ?bucket\n(?:id: ?(\d+)\n)?|^id: ?(\d+)\nevent: ?bucket/gm)]
    expect(ids.map(([, after, before]) => Number(after ?? before))).toEqual(Array.from({ length: 350 }, (_, n) => n))
  })
})

describe('what is written to a reader', () => {
  const responses: ServerResponse[] = []
  const server = createServer((_request, response) => {
    response.writeHead(200)
    responses.push(response)
  })
  beforeAll(() => new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve)))
  afterAll(() => server.close())

  async function reader(): Promise<{ socket: Socket; response: ServerResponse }> {
    const address = server.address()
    const socket = connect(typeof address === 'object' && address !== null ? address.port : 0, '127.0.0.1')
    socket.pause()
    socket.write('GET / HTTP/1.1\r\nHost: here\r\n\r\n')
    await expect.poll(() => responses.length).toBe(1)
    const [response] = responses.splice(0)
    if (response === undefined) throw new Error('nobody asked')
    return { socket, response }
  }
  const much = Buffer.alloc(8_000_000, 1)

  it('is dropped with it where it does not read', async () => {
    const { socket, response } = await reader()
    closeWhenBehind(response)
    expect(response.destroyed).toBe(false)

    response.write(much)
    closeWhenBehind(response)

    expect(response.destroyed).toBe(true)
    socket.destroy()
  })

  it('is waited for where it is much at once, and given up where nobody reads', async () => {
    const [reads, stops] = [await reader(), await reader()]
    reads.response.write(much)
    stops.response.write(much)
    reads.socket.resume()

    await Promise.all([untilRead(reads.response), untilRead(stops.response, 300)])

    expect([reads.response.destroyed, reads.response.writableLength, stops.response.destroyed]).toEqual([
      false,
      0,
      true,
    ])
    for (const { socket } of [reads, stops]) socket.destroy()
  })
})
