// The JSON Schemas of the format, written beside the command, so that they are published with it.
import { mkdirSync, writeFileSync } from 'node:fs'
import { formatSchema } from '@jolt-gate/core'

const folder = new URL('../bundle/schema/', import.meta.url)
mkdirSync(folder, { recursive: true })
for (const file of ['plan', 'target', 'steps', 'pipeline'])
  writeFileSync(new URL(`${file}-1.json`, folder), `${JSON.stringify(formatSchema(file), null, 2)}\n`)
