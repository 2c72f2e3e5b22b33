import getPort from 'get-port'

/** The wanted port when it is free on loopback, else any free one. */
export const freePort = (wanted: number): Promise<number> => getPort({ port: wanted, host: '127.0.0.1' })
