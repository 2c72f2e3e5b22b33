// One server for one folder of runs. The lock is the kernel's, held by a small process that ends with this one, however
// that ends.
import { spawn } from 'node:child_process'
import { mkdirSync } from 'node:fs'
import { join } from 'node:path'
import type { Lock } from '../database/lock.js'
import { StartFault } from '../database/start-fault.js'

const HELD = 'held'

/**
 * Takes a folder for this process.
 *
 * @param isStandby - waits for a server that has it
 * @throws StartFault where another server has it
 */
export async function lockFolder(folder: string, isStandby: boolean): Promise<Lock> {
  mkdirSync(folder, { recursive: true, mode: 0o700 })
  const how = isStandby ? [] : ['--nonblock']
  const holder = spawn('flock', [...how, join(folder, 'lock'), 'sh', '-c', `echo ${HELD}; exec cat`], {
    stdio: ['pipe', 'pipe', 'ignore'],
    // Ctrl-C reaches the whole group: it outlives what this process still has to do.
    detached: true,
  })
  const ended = new Promise<'ended'>((resolve) => {
    holder.once('close', () => {
      resolve('ended')
    })
  })
  // Its pipe ends with it.
  holder.stdin.on('error', () => undefined)
  const found = await Promise.race([
    ended,
    new Promise<'held'>((resolve) =>
      holder.stdout.once('data', () => {
        resolve('held')
      }),
    ),
    new Promise<Error>((resolve) => holder.once('error', resolve)),
  ])
  if (found instanceof Error)
    throw new StartFault(`the folder of runs cannot be locked: ${found.message}; flock is part of util-linux`)
  if (found === 'ended')
    throw new StartFault(
      `another server has the folder of runs ${folder}, or it cannot be written: stop that one first, or wait for its end with --standby`,
    )
  holder.unref()
  return {
    async release() {
      holder.stdin.end()
      await ended
    },
  }
}
