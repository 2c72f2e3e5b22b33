// Another key for what is stored sealed: secrets of targets, passwords of remotes, secrets of webhooks and pushes. What
// the old one opens is sealed with the new one, row by row: cut off in between it goes on with the next start.
import { PushSourceRow, RemoteRow, SecretRow, WebhookRow } from '../database/models.js'
import { placeOfRemote } from '../git/remotes.js'
import { placeOfSigning } from '../pushes/signing.js'
import { open, seal, type SealKey } from '../targets/seal.js'
import { placeOfSecret } from '../targets/secrets.js'

/** @returns how many were sealed anew, and how many neither key opens */
export async function sealAnew(old: SealKey, key: SealKey): Promise<{ sealed: number; lost: number }> {
  const told = { sealed: 0, lost: 0 }
  const again = async (
    row: { sealed: string | null; update: (values: { sealed: string }) => Promise<unknown> },
    place: string,
  ) => {
    if (row.sealed === null || open(key, place, row.sealed) !== undefined) return
    const text = open(old, place, row.sealed)
    if (text === undefined) told.lost++
    else {
      await row.update({ sealed: seal(key, place, text) })
      told.sealed++
    }
  }
  for (const row of await SecretRow.findAll()) await again(row, placeOfSecret(row.projectId, row.target, row.name))
  for (const row of await RemoteRow.findAll()) await again(row, placeOfRemote(row.projectId))
  for (const row of await WebhookRow.findAll()) await again(row, placeOfSigning(row.projectId))
  for (const row of await PushSourceRow.findAll()) await again(row, placeOfSigning(row.projectId))
  return told
}
