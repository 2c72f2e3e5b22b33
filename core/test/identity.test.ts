import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { newId, VERSION } from '../src/identity.js'

it('the version is that of every manifest', () => {
  const rooms = ['core', 'engine', 'cli', 'server', 'web', 'stand-ins/ferries', 'scripts']
  const versions = rooms.map((room) => {
    const manifest: unknown = JSON.parse(readFileSync(new URL(`../../${room}/package.json`, import.meta.url), 'utf8'))
    return manifest
  })
  for (const manifest of versions) expect(manifest).toMatchObject({ version: VERSION })
})

it('ids are not given twice, and have no character that is taken for another', () => {
  const ids = Array.from({ length: 10_000 }, newId)
  expect(new Set(ids).size).toBe(ids.length)
  expect(ids.join('')).toMatch(/^[0-9a-km-np-z]+$/)
})
