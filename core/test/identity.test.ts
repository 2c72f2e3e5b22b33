import { readFileSync } from 'node:fs'
import { expect, it } from 'vitest'
import { newId, nodeFault, VERSION } from '../src/identity.js'

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

it('a Node.js below the version that the manifest names is too old', () => {
  const manifest: unknown = JSON.parse(readFileSync(new URL('../../package.json', import.meta.url), 'utf8'))
  expect(manifest).toMatchObject({ engines: { node: '>=20.19' } })
  expect(['20.19.0', '22.0.0', '24.1.3'].map(nodeFault)).toEqual([undefined, undefined, undefined])
  expect(nodeFault('20.18.9')).toBe('Node.js 20.18.9 is too old: install 20.19 or a later one')
  expect(nodeFault('18.20.0')).toMatch(/too old/)
})
