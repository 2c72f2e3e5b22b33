// The page that maps the format to its tests must not name a test that is not there.
import { existsSync, readFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { describe, expect, it } from 'vitest'

const root = fileURLToPath(new URL('../../', import.meta.url))
const rows = readFileSync(`${root}docs/format-tests.md`, 'utf8')
  .split('\n')
  .flatMap((line) => {
    const [, what, file, test] = /^\| (.*) \| `([^`]+)` \| (.*) \|$/.exec(line) ?? []
    return what === undefined || file === undefined || test === undefined
      ? []
      : [{ what, file, test: test.replaceAll('\\|', '|') }]
  })

describe('the map of the format', () => {
  it('names tests that are there, for every part of the format', () => {
    const missing = rows.filter(
      ({ file, test }) => !existsSync(root + file) || !readFileSync(root + file, 'utf8').includes(test),
    )

    expect(rows.length).toBeGreaterThan(80)
    expect(missing).toEqual([])
  })
})
