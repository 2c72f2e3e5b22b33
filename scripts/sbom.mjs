// What the product is made of: every package that it runs with, by name, version and hash, in CycloneDX.
import { execFileSync } from 'node:child_process'
import { mkdirSync, writeFileSync } from 'node:fs'
import { root } from './bootstrap.mjs'

const MOST_BYTES = 50_000_000
const listed = execFileSync('npm', ['sbom', '--sbom-format', 'cyclonedx', '--omit', 'dev'], {
  ...{ cwd: root, encoding: 'utf8', maxBuffer: MOST_BYTES, stdio: ['ignore', 'pipe', 'pipe'] },
})
const { bomFormat, components } = JSON.parse(listed)
if (bomFormat !== 'CycloneDX' || components.length === 0) throw new Error('npm lists no components')
mkdirSync(`${root}dist`, { recursive: true })
writeFileSync(`${root}dist/sbom.cdx.json`, listed)
